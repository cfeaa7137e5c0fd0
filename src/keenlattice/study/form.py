"""Plans and results to JSON and back, by one way: each is a dataclass, and pydantic holds what is read against it.

Anyone who passes a logbook on may have written what it holds.
"""

import json
from typing import Any, ClassVar, Self

from keenlattice.errors import BadValue, BookError, UnknownName


class Form:
    """A dataclass that is kept as JSON.

    `SCHEMA` names its form, where it is its own output; `WHAT` is what it is called in a message.
    """

    SCHEMA: ClassVar[str] = ""
    WHAT: ClassVar[str] = "a plan"

    def to_json(self) -> dict[str, Any]:
        """As documented in `docs/formats.md`; JSON types only."""
        named = {"schema": self.SCHEMA} if self.SCHEMA else {}
        return {**named, **_adapter(type(self)).dump_python(self, mode="json", warnings=False)}

    def to_keep(self) -> dict[str, Any]:
        """Return the same JSON, after checking that `of_json` can read it back.

        Raises:
            BadValue: it could not: a value has the wrong type, or cannot be JSON.
        """
        try:
            content = self.to_json()
            self._read(json.loads(json.dumps(content)))
        except (ValueError, TypeError, RecursionError, BadValue, UnknownName) as error:
            raise BadValue(f"{self.WHAT} cannot be kept ({_reason(error)})") from None
        return content

    @classmethod
    def of_json(cls, content: object, title: str = "") -> Self:
        """What `to_json` made this of; what else it has is left out.

        Args:
            title: it is, for the message.

        Raises:
            BookError: it is not of that form.
        """
        try:
            return cls._read(content)
        except (ValueError, BadValue, UnknownName) as error:
            raise BookError(f"{title or cls.WHAT} in the logbook is not as Keen Lattice writes it ({_reason(error)}): "
                            "it is damaged, or was tampered with") from None

    @classmethod
    def _read(cls, content: object) -> Self:
        result: Self = _adapter(cls).validate_python(content)
        result._check()
        return result

    def _check(self) -> None:
        """Whether it holds together beyond its types.

        Raises:
            BadValue: it does not.
        """


def _reason(error: Exception) -> str:
    """Why a form cannot be read, in one line: of several reasons the first, with where it is."""
    from pydantic import ValidationError

    if not isinstance(error, ValidationError):
        return str(error)
    first = error.errors()[0]
    return f"{'.'.join(str(part) for part in first['loc'])}: {first['msg']}"


_adapters: dict[type[Form], Any] = {}


def _adapter(form: type[Form]) -> Any:
    from pydantic import TypeAdapter

    if form not in _adapters:
        _adapters[form] = TypeAdapter(form)
    return _adapters[form]
