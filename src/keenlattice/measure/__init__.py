"""Samples to numbers: readers, frame metrics, latency. Knows nothing of settings."""

from keenlattice._exports import exports

__getattr__, __dir__ = exports(__name__, __file__)
