"""What a player has noted of single settings on a rig: where one is in their own control panel, say."""

import json

from keenlattice._state_folder import make_private
from keenlattice.errors import RigError, UsageError
from keenlattice.files import read_bounded, replace_file
from keenlattice.rig.base import Rig
from keenlattice.rig.locks import locked
from keenlattice.safejson import parse_json

FILE, LONGEST, MOST_BYTES = "notes.json", 500, 400_000


def read_notes(rig: Rig) -> dict[str, str]:
    """Setting to what was noted of it.

    Raises:
        RigError: the file cannot be read, or is damaged.
    """
    path = rig.home / FILE
    try:
        content = read_bounded(path, MOST_BYTES)
        notes = {} if content is None else parse_json(content)
        if len(content or b"") > MOST_BYTES or not all(isinstance(value, str) for value in notes.values()):
            raise ValueError
        return {str(name): text for name, text in notes.items()}
    except OSError as error:
        raise RigError(f"cannot read {path}: {error.strerror}") from None
    except (ValueError, AttributeError):
        raise RigError(f"{path} is damaged: put it back from a copy, or move it away") from None


def keep_note(rig: Rig, setting: str, text: str) -> None:
    """Notes something of a setting; nothing takes the note out.

    Raises:
        UsageError: longer than LONGEST letters, or no printable text.
        RigError: it cannot be written.
        RigBusy: another process is changing the rig.
    """
    text = text.strip()
    if len(text) > LONGEST or not text.isprintable():
        raise UsageError(f"a note is one line of {LONGEST} letters at most")
    with locked(rig, f"noting something of {setting}"):
        notes = {**read_notes(rig), setting: text}
        try:
            make_private(rig.home)
            replace_file(rig.home / FILE, json.dumps({entry: note for entry, note in sorted(notes.items()) if note},
                                                     indent=1, ensure_ascii=False).encode())
        except OSError as error:
            raise RigError(f"cannot write {rig.home / FILE}: {error.strerror}") from None
