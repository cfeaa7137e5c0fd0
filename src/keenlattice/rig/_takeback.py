"""Taking a change of a rig back, place by place; remembering one that is done; and reading back what a rig holds."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, NamedTuple

from keenlattice._files import replace_file
from keenlattice.catalog.values import Value
from keenlattice.errors import RigError
from keenlattice.logbook.applies import RestorePoint, keep_point
from keenlattice.rig.base import reads_true
from keenlattice.rig.journal import Intent, Journal, fingerprints, in_text, packed
from keenlattice.rig.places import to_be_written, write

if TYPE_CHECKING:
    from keenlattice.catalog.values import Value
    from keenlattice.logbook.book import Logbook
    from keenlattice.rig.base import Rig, State
    from keenlattice.rig.journal import Wanted

KEPT = "before-the-unfinished-change.json"


def remember(book: "Logbook", rig: "Rig", intent: Intent, before: "State", after: "State") -> None:
    """Writes what was done into the logbook, once the restore point of the places that it touched is kept."""
    keep_point(intent.token, RestorePoint(in_text(before), fingerprints(after)))
    book.add_apply(rig.name, kind=intent.kind, profile=intent.profile, version=intent.version, what=intent.what,
                   target=intent.target, token=intent.token)


def take_back(rig: "Rig", journal: Journal, *, at_once: bool) -> list[str]:
    """Makes the state from before a change hold again, place by place.

    A place that holds something that is not ours, because something else wrote there since, is not overwritten: of it
    only the values that we had set go back; where they still stand, unless it is done `at_once`, in the change itself.
    Returns the places that then differ from before; a copy of what they held before is kept in the rig's home.
    """
    now = rig.state()
    ours, foreign = sort_out(now, journal)
    cut_off = [place for place in foreign if not reads_true(rig, place)]  # by what it reads, nobody's write is known
    ours, foreign = [*ours, *cut_off], [place for place in foreign if place not in cut_off]
    then = now
    if foreign:
        replace_file(rig.home / KEPT, packed(journal.before).encode())
        if journal.intent:
            then = _without_ours(rig, now, journal.intent, at_once)
    then = {**then, **{place: journal.before.get(place) for place in ours}}
    back = to_be_written(rig, then, now, ours)
    write(rig, back, now)
    held = rig.state()
    _check_that_it_is_back(rig, journal, back, held)
    return [place for place in foreign if held.get(place) != journal.before.get(place)]


def _check_that_it_is_back(rig: "Rig", journal: Journal, back: "State", held: "State") -> None:
    """Whether what was to go back is there: a rig may take a write, and hold something else.

    Raises:
        RigError: it is not.
    """
    if wrong := [place for place, content in back.items() if held.get(place) != content]:
        journal.found_instead({place: held.get(place) for place in wrong})
        raise RigError(f"{', '.join(wrong)} of the rig {rig.name} reads back otherwise than it was to be put back")


def sort_out(now: "State", journal: Journal) -> tuple[list[str], list[str]]:
    """The places that a change touched: those that hold what it found or made, and those that something else wrote."""
    found = fingerprints({place: now.get(place) for place in journal.made})
    first = fingerprints({place: journal.before.get(place) for place in journal.made})
    ours = [place for place in journal.made if found[place] in {first[place], *journal.made[place]}]
    return ours, [place for place in journal.made if place not in ours]


def _without_ours(rig: "Rig", state: "State", intent: Intent, every: bool) -> "State":
    for owner, wants in intent.wants.items():
        held = rig.values(state, owner)
        was: Mapping[str, Value | None] = intent.was.get(owner, {})
        back = {key: was.get(key) for key, value in wants.items()
                if (every or held.get(key) == value) and held.get(key) != was.get(key)}
        if back:
            state = {**state, **rig.changed(state, owner, back)}
    return state


class Misread(NamedTuple):
    """A value that reads back otherwise: whose, which, what the rig holds, and what it was given; None for unset."""

    owner: str
    key: str
    held: Value | None
    wanted: Value | None

    @property
    def told(self) -> str:
        """Both values, in words."""
        return f"reads back {_shown(self.held)}, not {_shown(self.wanted)}"


def misread(rig: "Rig", wanted: "Wanted") -> list[Misread]:
    """Every value that the rig, as it stands, holds otherwise than is wanted."""
    state, found = rig.state(), []
    for owner, values in wanted.items():
        held = rig.values(state, owner)
        found += [Misread(owner, key, held.get(key), value) for key, value in values.items() if held.get(key) != value]
    return found


def _shown(value: Value | None) -> str:
    return "unset" if value is None else str(value)
