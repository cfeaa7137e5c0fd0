"""Which Keen Lattice this is."""

from importlib.metadata import version as _of_package

__version__ = _of_package("keen-lattice")
