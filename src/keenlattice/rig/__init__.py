"""PCs whose settings can be read and written: the Rig protocol, its kinds, and applying with a way back."""
