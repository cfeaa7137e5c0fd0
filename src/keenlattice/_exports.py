"""What is loaded when it is first used, so that a command which asks for little of it starts at once: the names that a
package exports, as its `__init__.pyi` lists them; and the parts of an object.
"""

import sys
from collections.abc import Callable
from functools import cache
from importlib import import_module
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

        result: tuple[Callable[[str], Any], Callable[[], list[str]], list[str]] = lazy_loader.attach_stub(package, file)
        return result

    def load(name: str) -> Any:
        if name == "__all__":
            return attached()[2]
        if name.startswith("__") and name != "__version__":
            raise AttributeError(f"module {package!r} has no attribute {name!r}")
        function = attached()[0](name)
        if not isinstance(function, FunctionType):
            return function
        from keenlattice._door import checked

        # The loader may have put the function itself there already, and the next access would not come by here.
        door = sys.modules[package].__dict__[name] = checked(function)
        return door

    return load, lambda: attached()[1]()


def lazily(path: str, make: Callable[[Any, Any], Any]) -> Any:
    """A part of an object, made when it is first asked for, of a class whose module is loaded then.

    Args:
        path: of the class, as `module:Name`.
        make: makes the part of its owner and that class.
    """
    return _Lazily(path, make)


class _Lazily:
    def __init__(self, path: str, make: Callable[[Any, Any], Any]) -> None:
        self._path, self._make = path, make

    def __set_name__(self, _owner: type, name: str) -> None:
        self._name = name

    def __get__(self, owner: Any, _class: type | None = None) -> Any:
        if owner is None:
            return self
        module, _, name = self._path.partition(":")
        part = owner.__dict__[self._name] = self._make(owner, getattr(import_module(module), name))
        return part
