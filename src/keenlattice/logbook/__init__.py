"""The folder that remembers versions, restore points, captures and studies."""

from keenlattice._exports import exports

__getattr__, __dir__ = exports(__name__, __file__)
