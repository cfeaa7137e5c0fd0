"""A logbook and a rig, opened together: everything that a command does is a method of it."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
