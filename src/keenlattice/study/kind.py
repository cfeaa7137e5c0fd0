"""What a kind of study is. Each is a folder of this package, with its plan, how it is played, and its result; all that
can be done with a study (playing, keeping, resuming, recomputing, listing, reporting) is written once, over this."""

from collections.abc import Callable, Mapping, Sequence
from importlib import import_module
from typing import TYPE_CHECKING, Any, ClassVar, Generic, Protocol, TypeVar

from keenlattice.catalog.values import Value
from keenlattice.errors import BookError, UsageError
from keenlattice.profile.compare import changes
from keenlattice.profile.version import WHOLE_RIG, Version, owners
from keenlattice.quickly import dataclass
from keenlattice.study.form import Form

if TYPE_CHECKING:
    from keenlattice.blocks import Figures, Report, Telling
    from keenlattice.catalog.model import Catalog
    from keenlattice.logbook.book import Logbook
    from keenlattice.logbook.kept import Study
    from keenlattice.measure.capture import Capture
    from keenlattice.report.context import Context
    from keenlattice.study.player import Interim, Player

KINDS = ("trial", "screen", "hunt", "tune", "ramp", "blind", "pool")
"""The kinds that there are: each is the folder of that name, whose `play.py` has it as KIND."""


@dataclass(frozen=True)
class KeptVersion:
    """A version as a study keeps it: one that was made of a pack is in no history, and not `stored`."""

    reference: str
    profile: str
    entries: dict[str, Value]
    note: str
    stored: bool

    @classmethod
    def of(cls, version: Version) -> "KeptVersion":
        """That of a version."""
        return cls(version.reference, version.profile, dict(version.entries), version.note, bool(version.time))


class Spec(Form):
    """What a study is: the versions that it is about, its plan, and what is played. It is kept before the first run.

    `ARM` is what an arm that stands for no version is called; `STRICT` says whether its versions may set nothing that
    the rig does not have.
    """

    ARM: ClassVar[str] = ""
    STRICT: ClassVar[bool] = True
    plan: Any
    game: str | None

    @property
    def versions(self) -> tuple[KeptVersion, ...]:
        """The versions that it is about."""
        raise NotImplementedError

    @property
    def about(self) -> str:
        """The same, in the words of a list."""
        return " against ".join(version.reference for version in self.versions)

    @property
    def runs(self) -> int:
        """How many runs it takes, as far as that is known before."""
        raise NotImplementedError

    @property
    def pace(self) -> tuple[float, float]:
        """How long a run is, and how long is played before it counts, in seconds."""
        return self.plan.seconds, self.plan.warm_up_s

    @property
    def steps_a_run(self) -> float:
        """About how many settings are switched before each run, where a person does that."""
        differing = changes(self.versions[0].entries, self.versions[-1].entries)
        return len(differing) / 2

    @property
    def judged_by(self) -> tuple[str, ...]:
        """The metrics that decide, as far as the plan names them."""
        plan_or_own = getattr(self, "plan", None)
        plan = getattr(plan_or_own, "trial", plan_or_own)
        return tuple(getattr(plan, "deciders", None) or getattr(plan, "goals", None) or ())

    @property
    def most_runs(self) -> int | None:
        """How many runs it takes at most; None where that is not known before."""
        return self.runs

    @property
    def owner(self) -> str:
        """Whose settings differ: a game's name, or "rig", or the two together."""
        return self.versions[0].profile

    @property
    def on_rig_wide(self) -> bool:
        """Whether its versions stand on the rig-wide values that the rig holds, and set none themselves."""
        return WHOLE_RIG not in owners(self.owner)

    @property
    def proof_plan(self) -> Any:
        """The plan of the trial in which a version that is made of the result is proved; None for none."""
        return None

    @property
    def files(self) -> bool:
        """Whether its runs are recorded elsewhere and handed over."""
        return False

    def version_of(self, arm: str) -> int | None:
        """The place among `versions` of the one that an arm stands for; None if it stands for a mixture."""
        return None


class SpecOfTwo(Spec):
    """What a study of two versions is."""

    before: KeptVersion
    after: KeptVersion

    @property
    def versions(self) -> tuple[KeptVersion, ...]:
        return self.before, self.after

    @property
    def runs(self) -> int:
        return len(self.plan.runs())


AnySpec = TypeVar("AnySpec", bound=Spec)
AnyResult = TypeVar("AnyResult", bound=Form)


@dataclass(frozen=True)
class Made:
    """The version that was made of a study's result, the label of its branch, and the trial that proves it."""

    version: Version
    label: str
    proof: Any


class Planning(Protocol):
    """What a kind may ask for when a study of it is planned.

    Attributes:
        catalog: of the rig.
    """

    @property
    def catalog(self) -> "Catalog": ...

    def find(self, reference: str) -> Version:
        """Return a version of the logbook."""


class Beside(Planning, Protocol):
    """What a kind's telling, page and figure may ask for beside the result.

    Attributes:
        number: the study's in the logbook.
        spec: what was planned.
        versions: those that it is about.
        made: what was made of the result just now.
    """

    @property
    def number(self) -> int: ...
    @property
    def spec(self) -> Any: ...
    @property
    def versions(self) -> Sequence[Version]: ...
    @property
    def made(self) -> Made | None: ...

    def captures(self, *, needed: bool = False) -> "Mapping[int, Capture]":
        """Return the study's runs by their place; none if they are gone, unless they are needed.

        Raises:
            CaptureError: they are needed, and gone.
        """

    def context(self, game: str = "", before: Version | None = None, after: Version | None = None) -> "Context":
        """Return what surrounds the result: of two versions of a game what differs, else the rig alone."""

    def made_of(self, profile: str, entries: Mapping[str, Value]) -> Version | None:
        """Return the version of a profile that sets just that, if there is one."""

    def finished(self, kind: str) -> Sequence[Any]:
        """Return the finished studies of a kind on this rig, the newest first: number, spec, result and captures."""


@dataclass(frozen=True)
class Kind(Generic[AnySpec, AnyResult]):
    """A kind of study.

    Args:
        name: what it is called; the name of its folder.
        spec, result: their forms.
        play: plays it through, or computes it again: the player knows which.
        failures: how often a run has to go wrong for that to be a result, so that it is not tried again when a study
            goes on; 0 if it never is.
        tell: tells a result in blocks, which a terminal, a page and a notebook show.
        page: the page about a result; without one it shows the telling.
        figure: its figures; without them, those of the trial that proves it.
        plan: what is to be played, from a `Planning` and what a player says. `Studies.play` takes its parameters, and
            a kind that has no command of its own gets one with them as options.
        makes: what a version of the result would set, from the version that it started from and the rig's catalog, and
            why; None if that is nothing new.
        again: of a kind that rests on something else than runs: computes a study again from what the logbook keeps.
        so_far: what decides, as it stands by the runs so far, from their metrics by place; None where only the end
            tells.
    """

    name: str
    spec: type[AnySpec]
    result: type[AnyResult]
    play: "Callable[[Player, AnySpec, Sequence[Version]], AnyResult]"
    failures: int = 0
    tell: "Callable[[AnyResult, Beside], Telling] | None" = None
    page: "Callable[[AnyResult, Beside], Report] | None" = None
    figure: "Callable[[AnyResult, Beside], Figures] | None" = None
    plan: "Callable[..., AnySpec] | None" = None
    makes: "Callable[[AnyResult, Version, Catalog], tuple[dict[str, Value], str] | None] | None" = None
    again: "Callable[[Logbook, Study], AnyResult] | None" = None
    so_far: "Callable[[AnySpec, Mapping[int, Mapping[str, float]]], Sequence[Interim]] | None" = None


def kind_named(name: str) -> Kind[Any, Any]:
    """The kind of that name.

    Raises:
        BookError: there is none; a logbook that names it is damaged.
    """
    if name not in KINDS:
        raise BookError(f"a study of the kind {name[:40]!r} in the logbook: there is no such kind; it is damaged, or "
                        "was tampered with")
    result: Kind[Any, Any] = import_module(f"keenlattice.study.{name}.play").KIND
    return result


def game_for(versions: Sequence[Version], game: str | None) -> str:
    """What is played in a study of some versions.

    Raises:
        UsageError: they are of two profiles, or of the rig-wide one without a game.
    """
    first, last = versions[0], versions[-1]
    if first.profile != last.profile:
        raise UsageError(f"{first.reference} and {last.reference} are of two profiles; a trial compares two "
                         "versions of one, or of a game and the rig together: GAME+rig")
    if game is None and first.profile == WHOLE_RIG:
        raise UsageError("a trial of rig-wide versions needs a game to play: --game GAME")
    return game or owners(first.profile)[0]
