"""Environment variables that a game is started with, on any system.

A version may come from a stranger, and a variable can make a program load somebody's code. So none is taken that says
where code lies: none whose value names a file or a folder, and none of those that a system's loader, a shell or an
interpreter goes by.
"""

import re
import shlex
from collections.abc import Mapping

from keenlattice.catalog.model import Setting
from keenlattice.errors import RefusedByRig

KEY, NONE, MOST = "game.environment", "none", 40
VARIABLE = re.compile(r"[A-Za-z_][A-Za-z0-9_]{0,79}")
OF_CODE = re.compile(
    "(LD_|DYLD_|PYTHON|PERL|RUBY|NODE_|_?JAVA_|_?JDK_|DOTNET_|COR_|CORECLR_|COMPLUS_|BASH|GCONV_|XDG_)"
    "|(ENV|IFS|HOME|SHELL|COMSPEC|PROMPT_COMMAND|USERPROFILE|TEMP|TMP|TMPDIR|WINDIR|SYSTEMROOT|APPDATA)$"
    "|.*(PATH|PRELOAD|DLL|ICD|FILENAMES$|FILES$|OPTIONS$|OPTS$)", re.IGNORECASE)


def setting() -> Setting:
    """The setting for a game's variables."""
    return Setting(
        KEY, "Environment variables that the game is started with", "text", "game", NONE,
        "A variable reaches the game, its driver and all that they load; one that they do not know does nothing.",
        called=("environment variable", "env"), restart="game", moves={"frame-time": "either"}, sure="disputed",
        where="The properties of the game in the program that starts it: NAME=VALUE NAME=VALUE, or none.",
        check="The driver's or the layer's own log says what it was given.",
        advice="Look each one up for this very version of the driver or layer, and measure it.")


def variables_of(text: str) -> Mapping[str, str]:
    """The variables of a value: `NAME=VALUE` words, quotes round what holds blanks.

    Raises:
        RefusedByRig: it is not of that form, or a variable could make the game load code.

    >>> variables_of("FIRST=1 SECOND='two words'")
    {'FIRST': '1', 'SECOND': 'two words'}
    """
    try:
        words = [] if text == NONE else shlex.split(text)
    except ValueError as error:
        raise RefusedByRig(f"{KEY}: {text!r} cannot be cut into words: {error}") from None
    variables: dict[str, str] = {}
    for word in words:
        name, equals, value = word.partition("=")
        if not equals or not VARIABLE.fullmatch(name) or name in variables or len(variables) >= MOST:
            raise RefusedByRig(f"{KEY}: {word!r}: write NAME=VALUE NAME=VALUE, each name once, {MOST} at most, or "
                               f"{NONE}; put quotes round what holds blanks")
        if OF_CODE.match(name) or "/" in value or "\\" in value:
            raise RefusedByRig(f"{KEY}: {name} could make the game load somebody's code, so it is not set from here; "
                               "set it where the game is started: keen play GAME -- env NAME=VALUE COMMAND")
        variables[name] = value
    return variables
