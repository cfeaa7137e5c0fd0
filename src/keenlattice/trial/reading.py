"""Plans and results back from JSON, held against their form: whoever passes a logbook on may have written them."""

from typing import TypeVar

from keenlattice.errors import BadValue, BookError, UnknownName

Form = TypeVar("Form")


def read_as(form: type[Form], content: object, what: str) -> Form:
    """Some JSON as a result or a plan.

    Args:
        what: it is, for the message.

    Raises:
        BookError: it is not of that form.
    """
    from pydantic import TypeAdapter, ValidationError

    try:
        return TypeAdapter(form).validate_python(content)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        why = f"{where}: {first['msg']}"
    except (BadValue, UnknownName) as error:
        why = str(error)
    raise BookError(f"{what} in the logbook is not as Keen Lattice writes it ({why}): it is damaged, or was tampered "
                    "with")
