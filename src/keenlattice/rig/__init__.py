"""What a rig is, in small capabilities; its kinds; and everything that writes to one, with a way back."""

from keenlattice._exports import exports

__getattr__, __dir__ = exports(__name__, __file__)
