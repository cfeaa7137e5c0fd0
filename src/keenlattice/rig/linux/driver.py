"""What the OpenGL driver says of itself, through EGL: its name, and the options that it declares.

Asked in a separate process (`_driver_query`): a driver is loaded into the process that asks, and is not to be trusted
with ours.
"""

import json
from collections.abc import Mapping
from pathlib import Path
from xml.parsers import expat

from keenlattice.catalog.model import Kind, Setting
from keenlattice.errors import CatalogError, NeedsInstalling, RigError
from keenlattice.quickly import dataclass
from keenlattice.rig.linux import children
from keenlattice.rig.linux.children import Asked

QUERY = Path(__file__).with_name("_driver_query.py")
INSTALL_MESA = "install it: apt-get install libegl1 libgl1 libgl1-mesa-dri"
NOT_BY_PLAYERS = "A setting of the driver's own; what it trades is not written down here: measure it."


@dataclass(frozen=True)
class Driver:
    """The driver's name, its EGL vendor, its renderer, and its own description of its options (XML)."""

    name: str
    vendor: str
    renderer: str
    options: str


def ask() -> Driver:
    """Asks the driver.

    Raises:
        NeedsInstalling: there is no EGL, or the driver has no configuration to query.
        RigError: the driver crashed over it, or gave no answer in `children.ANSWERS_WITHIN_S`.
    """
    asked = Asked(QUERY)
    try:
        code, output, complained = asked.answer()
    except TimeoutError:
        raise RigError(f"the driver gave no answer in {children.ANSWERS_WITHIN_S:g} s when asked for its options: "
                       "does any OpenGL program run here, and does a pattern in its configuration files take long?"
                       ) from None
    if code == 3:
        raise NeedsInstalling(f"the driver cannot be asked: {complained.strip()}; {INSTALL_MESA}")
    try:
        return Driver(**json.loads(output if not code else ""))
    except (ValueError, TypeError):
        raise RigError(f"the driver failed when asked for its options (exit {code}); does any OpenGL program run "
                       "here?") from None


def settings_of(driver: Driver) -> list[Setting]:
    """The driver's declared options as settings of the domain `mesa`, typed and bounded as it says.

    Raises:
        RigError: the description is not what EGL_MESA_query_driver promises.
    """
    result: list[Setting] = []
    current: dict[str, str] = {}
    choices: list[str] = []

    def start(tag: str, attributes: dict[str, str]) -> None:
        if tag == "option":
            current.clear()
            choices.clear()
            current.update(attributes)
        elif tag == "description" and current:
            current["text"] = attributes.get("text", "")
        elif tag == "enum" and current:
            choices.append(f"{attributes.get('value')}: {attributes.get('text')}")

    def end(tag: str) -> None:
        if tag == "option":
            result.extend(settings_of_option(dict(current), choices))
            current.clear()

    parser = expat.ParserCreate()
    parser.StartElementHandler, parser.EndElementHandler = start, end
    try:
        parser.Parse(driver.options, True)
    except (expat.ExpatError, CatalogError, ValueError) as error:
        raise RigError(f"the driver {driver.name} describes its options in a way that is not understood: {error}"
                       ) from None
    return result


KINDS: Mapping[str, Kind] = {"bool": "switch", "int": "whole", "enum": "whole", "float": "number", "string": "text"}


def settings_of_option(option: dict[str, str], choices: list[str]) -> list[Setting]:
    kind = KINDS.get(option["type"])
    if kind is None:
        return []
    low, _, high = option.get("valid", "").partition(":")
    default: bool | float | int | str = option["default"]
    if kind == "switch":
        default = default == "true"
    elif kind != "text":
        default = float(default) if kind == "number" else int(float(default))
    return [Setting(
        name=f"mesa.{option['name'].lower()}", title="; ".join([option.get("text", "").strip(), *choices]),
        kind=kind, low=float(low) if low and high else None, high=float(high) if high else None,
        scope="game", stock=default, restart="game", trades=NOT_BY_PLAYERS, sure="disputed",
        moves={"frame-time": "either"}, advice="Nobody has collected what it does: measure it.")]

