"""A real Linux rig: the open-source driver stack, X11 and the kernel, through their public interfaces."""
