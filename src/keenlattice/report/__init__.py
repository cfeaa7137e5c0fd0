"""Figures, tables and pages: from results and from what the logbook keeps, never from rigs."""

from keenlattice._exports import exports

__getattr__, __dir__ = exports(__name__, __file__)
