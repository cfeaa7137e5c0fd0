"""The settings that there are: as data files, and the typed model that they are checked by."""

from keenlattice._exports import exports

__getattr__, __dir__ = exports(__name__, __file__)
