"""`dataclass`, as the standard library has it; a frozen one is made in a third of the time.

The standard library compiles each method of a dataclass from text, five of them for a frozen one, and a command loads
fifty such classes before it does anything. Here `__init__` alone is compiled, and all classes share the others.
"""

import dataclasses
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from dataclasses import dataclass as dataclass
else:
    def dataclass(cls: type | None = None, *, frozen: bool = False, eq: bool = True, repr: bool = True,
                  order: bool = False) -> Any:
        """Make a class a dataclass, as `dataclasses.dataclass`."""
        if not frozen or order:
            decorate = dataclasses.dataclass(eq=eq, repr=repr, frozen=frozen, order=order)
        else:
            def decorate(cls: type) -> type:
                return _frozen(cls, {**ALWAYS, **(IF_EQ if eq else {}), **(IF_REPR if repr else {})})
        return decorate if cls is None else decorate(cls)


def _frozen(cls: type, methods: dict[str, Callable[..., Any]]) -> type:
    own = set(cls.__dict__)
    made: type = dataclasses.dataclass(repr=False, eq=False)(cls)
    for name, method in methods.items():
        if name not in own:
            setattr(made, name, method)
    return made


def _set(self: Any, name: str, value: Any) -> None:
    """Set a field once, which is what `__init__` does."""
    if name in self.__dict__ or name not in self.__match_args__:
        raise dataclasses.FrozenInstanceError(f"cannot assign to field {name!r}")
    self.__dict__[name] = value


def _delete(self: Any, name: str) -> None:
    raise dataclasses.FrozenInstanceError(f"cannot delete field {name!r}")


def _values(self: Any) -> tuple[Any, ...]:
    return tuple(self.__dict__[name] for name in self.__match_args__)


def _equals(self: Any, value: object) -> bool:
    return _values(self) == _values(value) if type(self) is type(value) else NotImplemented


def _hash(self: Any) -> int:
    return hash(_values(self))


def _repr(self: Any) -> str:
    shown = ", ".join(f"{item.name}={getattr(self, item.name)!r}" for item in dataclasses.fields(self) if item.repr)
    return f"{type(self).__qualname__}({shown})"


ALWAYS: dict[str, Callable[..., Any]] = {"__setattr__": _set, "__delattr__": _delete}
IF_EQ: dict[str, Callable[..., Any]] = {"__eq__": _equals, "__hash__": _hash}
IF_REPR: dict[str, Callable[..., Any]] = {"__repr__": _repr}
