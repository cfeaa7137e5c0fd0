"""What a package exports: the names in its `__init__.pyi`, each loaded when it is first used.

The list itself is read when the first of them is asked for, so that a command, which asks for none, starts at once.
"""

from collections.abc import Callable
from functools import cache
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
        return attached()[0](name)

    return load, lambda: attached()[1]()
