"""A parser for the driver's XML that takes nothing dangerous: no entities, nothing huge, and clear words about both."""

from typing import Any
from xml.parsers import expat

from keenlattice.errors import RigError

MOST_BYTES = 4_000_000


def parser(path: str) -> Any:
    """An expat parser that refuses entities; the caller adds the handlers that it needs."""
    made = expat.ParserCreate()

    def refuse(*_: object) -> None:
        raise RigError(f"{path} declares XML entities, which no driver configuration needs: not read; "
                       "it is left as it is")

    made.EntityDeclHandler = refuse
    return made


def parse(made: Any, content: bytes, path: str) -> None:
    """Feeds it a whole file.

    Raises:
        RigError: not XML, with entities, or too large; the message names the file, and the line where there is one.
    """
    if len(content) > MOST_BYTES:
        raise RigError(f"{path} is larger than {MOST_BYTES // 1_000_000} MB: not read; it is left as it is")
    try:
        made.Parse(content, True)
    except (expat.ExpatError, LookupError, ValueError) as error:  # the latter two of an encoding that is none
        raise RigError(f"{path} is not XML that the driver could read ({error}): mend or move it; "
                       "it is left as it is") from None
