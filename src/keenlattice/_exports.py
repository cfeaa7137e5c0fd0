"""What a package exports: the names in its `__init__.pyi`, each loaded when it is first used.

The list itself is read when the first of them is asked for, so that a command, which asks for none, starts at once.
"""

import sys
from collections.abc import Callable
from functools import cache
from types import FunctionType
from typing import Any


def exports(package: str, file: str) -> tuple[Callable[[str], Any], Callable[[], list[str]]]:
    """`__getattr__` and `__dir__` of a package.

    Args:
        package, file: its `__name__` and `__file__`.
    """
    @cache
    def attached() -> tuple[Callable[[str], Any], Callable[[], list[str]], list[str]]:
        import lazy_loader

        found: tuple[Callable[[str], Any], Callable[[], list[str]], list[str]] = lazy_loader.attach_stub(package, file)
        return found

    def load(name: str) -> Any:
        if name == "__all__":
            return attached()[2]
        if name.startswith("__") and name != "__version__":
            raise AttributeError(f"module {package!r} has no attribute {name!r}")
        found = attached()[0](name)
        if not isinstance(found, FunctionType):
            return found
        from keenlattice._door import checked

        # The loader may have put the function itself there already, and the next access would not come by here.
        door = sys.modules[package].__dict__[name] = checked(found)
        return door

    return load, lambda: attached()[1]()
