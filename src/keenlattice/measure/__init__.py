"""Samples to numbers: readers, frame metrics, latency. Knows nothing of settings."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
