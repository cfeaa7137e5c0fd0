"""Where calls from outside come in: what a caller hands over is checked against the types that the function declares.

Every public method of a workspace and every function that a package exports goes through here; calls within Keen
Lattice do not. So that a command loads nothing for it, a type that only a type checker imports is first known by its
name alone: a value is of it if one of its classes is called so. Only where that fails is the type loaded, and asked.
"""

import ast
import builtins
import inspect
import sys
from collections.abc import Callable, Iterable, Mapping, Sequence
from errno import ENAMETOOLONG
from functools import cache, wraps
from numbers import Integral, Real
from types import NoneType, UnionType
from typing import Any, Literal, ParamSpec, TypeVar, Union, get_args, get_origin

from keenlattice.errors import BadValue

P = ParamSpec("P")
R = TypeVar("R")
Hints = Mapping[str, Any]


class ByName:
    """Stands for a type that is known by its name alone."""

    def __class_getitem__(cls, _: object) -> type:
        return cls


def checked(function: Callable[P, R]) -> Callable[P, R]:
    """Return the function with its arguments checked: BadValue, if one is not of the type that it declares."""

    @wraps(function)
    def call(*args: P.args, **kwargs: P.kwargs) -> R:
        _check(function, args, kwargs)
        try:
            return function(*args, **kwargs)
        except OSError as error:
            if error.errno != ENAMETOOLONG:
                raise
            raise BadValue(f"{function.__name__}: the path {str(error.filename)[:60]}... is too long") from None

    return call


def check_methods(cls: type[R]) -> type[R]:
    """Have the public methods of a class check their arguments."""
    for name, member in list(vars(cls).items()):
        if inspect.isfunction(member) and not name.startswith("_"):
            setattr(cls, name, checked(member))
    return cls


def _check(function: Callable[..., object], args: Sequence[object], kwargs: Mapping[str, object]) -> None:
    for name, value in _given(function, args, kwargs):
        if not _fits(value, _hints(function).get(name)):
            hint = _hints(function, exact=True).get(name)
            if not _fits(value, hint):
                shown = repr(value)[:60] if isinstance(value, str | int | float | bool) else ""
                raise BadValue(f"{function.__name__}: {name} takes {_named(hint)}, and was given "
                               f"{type(value).__name__}{f': {shown}' if shown else ''}")


def _given(function: Callable[..., object], args: Sequence[object],
           kwargs: Mapping[str, object]) -> Iterable[tuple[str, object]]:
    """Each argument with its name, those of `*args` and `**options` one by one."""
    signature = _signature(function)
    try:
        arguments = signature.bind(*args, **kwargs).arguments
    except TypeError:
        return  # Python itself says so when the function is called
    for name, value in arguments.items():
        kind = signature.parameters[name].kind
        if kind is inspect.Parameter.VAR_KEYWORD:
            yield from value.items()
        elif kind is inspect.Parameter.VAR_POSITIONAL:
            yield from ((name, item) for item in value)
        else:
            yield name, value


@cache
def _signature(function: Callable[..., object]) -> inspect.Signature:
    return inspect.signature(function)


@cache
def _hints(function: Callable[..., object], exact: bool = False) -> Hints:
    """The type of each argument and option of a function, as far as it is known.

    Args:
        exact: load what only a type checker imports, instead of knowing it by its name.
    """
    names: dict[str, Any] = dict(getattr(function, "__globals__", {}))
    if exact:
        names |= _imported_for_types(function.__module__)
    hints: dict[str, Any] = {}
    for name, parameter in _signature(function).parameters.items():
        hint = _evaluated(parameter.annotation, names)
        if parameter.annotation is not inspect.Parameter.empty:
            hints[name] = hint
    return hints


def _imported_for_types(module: str) -> dict[str, Any]:
    """What a module imports for a type checker alone."""
    names: dict[str, Any] = {}
    for node in ast.parse(inspect.getsource(sys.modules[module])).body:
        if isinstance(node, ast.If) and isinstance(node.test, ast.Name) and node.test.id == "TYPE_CHECKING":
            exec(compile(ast.Module(node.body, []), module, "exec"), names)
    return names


class _Names(dict[str, Any]):
    """The names in an annotation; one that is not loaded becomes a type that is known by its name."""

    def __missing__(self, name: str) -> Any:
        if name.startswith("__"):
            raise KeyError(name)
        self[name] = getattr(builtins, name, None) or type(name, (ByName,), {})
        return self[name]


def _evaluated(annotation: Any, names: Mapping[str, Any]) -> Any:
    """A type that is written as text; `object` where it cannot be told."""
    text = getattr(annotation, "__forward_arg__", annotation)
    if not isinstance(text, str):
        return annotation
    try:
        return eval(text, {"__builtins__": {}}, _Names(names))  # an annotation of ours, and no built-in functions
    except (AttributeError, TypeError, NameError):
        return object


def _fits(value: object, hint: Any) -> bool:
    """Whether a value is of a type; True where that cannot be told."""
    if isinstance(hint, TypeVar) or hint is Any:
        return True
    origin, inner = get_origin(hint), get_args(hint)
    if origin in (Union, UnionType):
        return any(_fits(value, item) for item in inner)
    if origin is Literal:
        return isinstance(value, str)  # which of them, the function itself says better
    if hint is NoneType or (hint is None and value is None):
        return value is None
    if hint in (int, float):
        return isinstance(value, Integral if hint is int else Real) and not isinstance(value, bool)
    kind = origin or hint
    if kind is Callable or getattr(kind, "__name__", "") == "Callable":
        return callable(value)
    if not isinstance(kind, type):
        return True
    if issubclass(kind, ByName):
        return kind.__name__ in {item.__name__ for item in type(value).__mro__}
    if getattr(kind, "_is_protocol", False):
        return all(hasattr(value, name) for name in vars(kind) if not name.startswith("_"))
    return isinstance(value, kind) and (not inner or _all_fit(value, kind, inner))


def _all_fit(value: Any, kind: type, inner: Sequence[Any]) -> bool:
    """Whether what is within a value is of the types that its own type names."""
    if issubclass(kind, Mapping):
        return all(_fits(key, inner[0]) and _fits(item, inner[-1]) for key, item in value.items())
    if issubclass(kind, tuple) and inner[-1] is not Ellipsis:
        return len(value) == len(inner) and all(map(_fits, value, inner))
    if issubclass(kind, Sequence | set | frozenset):
        return not isinstance(value, str) and all(_fits(item, inner[0]) for item in value)
    return not (issubclass(kind, Iterable) and isinstance(value, str))


def _named(hint: Any) -> str:
    """A type in the words of somebody who reads Python."""
    if get_origin(hint) in (Union, UnionType):
        return " or ".join(dict.fromkeys(_named(item) for item in get_args(hint)))
    if hint in (None, NoneType) or get_origin(hint) is Literal:
        return "None" if hint in (None, NoneType) else "str"
    name = getattr(get_origin(hint) or hint, "__name__", str(hint))
    if get_args(hint) and name != "Callable":
        return f"{name} of {', '.join(dict.fromkeys(map(_named, get_args(hint))))}"
    return {"OfVersion": "a result with a version"}.get(name, name)
