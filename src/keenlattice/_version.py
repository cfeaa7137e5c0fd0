"""Which Keen Lattice this is."""


def __getattr__(name: str) -> str:
    """Return `__version__`, asked of the package's metadata when it is first needed: reading that takes a while."""
    if name != "__version__":
        raise AttributeError(f"no {name} here")
    from importlib.metadata import version

    return version("keen-lattice")
