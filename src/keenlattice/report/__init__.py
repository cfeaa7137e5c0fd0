"""Figures, tables and pages: from results and from what the logbook keeps, never from rigs."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
