"""A logbook and a rig, opened together: everything that a command does is a method of it."""

from keenlattice._exports import exports

__getattr__, __dir__ = exports(__name__, __file__)
