"""Whatever plays runs to find something out: a folder for each kind, and what they share."""

from keenlattice._exports import exports

__getattr__, __dir__ = exports(__name__, __file__)
