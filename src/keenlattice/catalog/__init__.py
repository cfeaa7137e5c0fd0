"""The settings that there are: as data files, and the typed model that they are checked by."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
