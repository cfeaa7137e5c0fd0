"""Plans and results to JSON and back, by one way: each is a dataclass, and pydantic holds what is read against it.

Whoever passes a logbook on may have written what it holds.
"""

from collections.abc import Mapping
from typing import Any, ClassVar, Self

from keenlattice.errors import BadValue, BookError, UnknownName


class Form:
    """A dataclass that is kept as JSON.

    `SCHEMA` names its form, where it is an output of its own; `WHAT` is what it is called in a message.
    """

    SCHEMA: ClassVar[str] = ""
    WHAT: ClassVar[str] = "a plan"

    def to_json(self) -> dict[str, Any]:
        """As documented in `docs/formats.md`; JSON types only."""
        named = {"schema": self.SCHEMA} if self.SCHEMA else {}
        return {**named, **_adapter(type(self)).dump_python(self, mode="json")}

    @classmethod
    def of_json(cls, content: object, what: str = "") -> Self:
        """What `to_json` made this of; what it has besides is left out.

        Args:
            what: it is, for the message.

        Raises:
            BookError: it is not of that form.
        """
        from pydantic import ValidationError

        try:
            found: Self = _adapter(cls).validate_python(
                cls._as_now(content) if isinstance(content, Mapping) else content)
            found._check()
            return found
        except ValidationError as error:
            first = error.errors()[0]
            why = f"{'.'.join(str(part) for part in first['loc'])}: {first['msg']}"
        except (BadValue, UnknownName) as error:
            why = str(error)
        raise BookError(f"{what or cls.WHAT} in the logbook is not as Keen Lattice writes it ({why}): it is damaged, "
                        "or was tampered with")

    @classmethod
    def _as_now(cls, content: Mapping[str, Any]) -> Mapping[str, Any]:
        """JSON that an earlier Keen Lattice has written, in today's form."""
        return content

    def _check(self) -> None:
        """Whether it holds together beyond its types.

        Raises:
            BadValue: it does not.
        """


_adapters: dict[type[Form], Any] = {}


def _adapter(form: type[Form]) -> Any:
    from pydantic import TypeAdapter

    if form not in _adapters:
        _adapters[form] = TypeAdapter(form)
    return _adapters[form]
