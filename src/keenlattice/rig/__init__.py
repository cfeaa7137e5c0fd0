"""What a rig is, in small capabilities; its kinds; and everything that writes to one, with a way back."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
