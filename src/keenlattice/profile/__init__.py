"""Versions of profiles: layers, formulas, what differs, merges, checks, packs. Pure: it writes nothing."""

from keenlattice._exports import exports

__getattr__, __dir__ = exports(__name__, __file__)
