"""A study in the logbook: its plan before the first run, every run as soon as it is played, and what came out."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import field
from json import dumps, loads
from typing import TYPE_CHECKING, Any, ClassVar

from keenlattice import _version
from keenlattice.catalog.values import Value, written
from keenlattice.errors import KeenLatticeError, RigError, UsageError, way
from keenlattice.logbook.book import find
from keenlattice.logbook.file import now
from keenlattice.logbook.kept import (
    KeptRun,
    Study,
    add_run,
    done_of,
    failed_of,
    finish_study,
    replan,
    runs_of,
    start_study,
    take_back_run,
)
from keenlattice.profile.compare import changes
from keenlattice.profile.version import WHOLE_RIG, Version, owners
from keenlattice.quickly import dataclass
from keenlattice.rig.hand import TakenBack
from keenlattice.study.form import Form
from keenlattice.study.kind import KeptVersion, Spec, game_for, kind_named

if TYPE_CHECKING:
    from keenlattice.logbook.book import Logbook
    from keenlattice.measure.capture import Capture
    from keenlattice.rig.base import Rig
    from keenlattice.study.player import Run

LONGEST_REASON = 2_000
"""Letters that are kept of why a run does not count."""

HELD = "held"
"""Where a study's plan, as the logbook keeps it, has what the rig held."""

Progress = Callable[[int, int], None]
"""Learns how many runs are done, and how many it takes in all, as far as that is known."""


@dataclass(frozen=True)
class Held(Form):
    """What a rig held when a study began, or went on after a stop: its rig-wide values, and its facts."""

    WHAT: ClassVar[str] = "what the rig held"

    time: str = ""
    values: dict[str, Value] = field(default_factory=dict)
    facts: dict[str, bool | int | float | str] = field(default_factory=dict)

    @classmethod
    def by(cls, rig: "Rig") -> "Held":
        """Return what a rig holds now."""
        return cls(now(), dict(rig.values(rig.state(), WHOLE_RIG)), dict(rig.facts()))


@dataclass(frozen=True)
class Provenance(Form):
    """What a study's result rests on, beside its runs: `held` and `facts` are as the rig was when it began."""

    WHAT: ClassVar[str] = "what a study rests on"

    study: int = 0
    software: str = ""
    captures: list[str] = field(default_factory=list)
    time: str = ""
    facts: dict[str, bool | int | float | str] = field(default_factory=dict)
    held: dict[str, Value] = field(default_factory=dict)


def held_by(study: Study) -> list[Held]:
    """Return what the rig held when a study began and each time it went on, the first first.

    Raises:
        BookError: it is not of its form.
    """
    kept = study.plan.get(HELD, [])
    return [Held.of_json(state) for state in kept] if isinstance(kept, list) else []


def held_otherwise(study: Study, spec: Spec) -> list[str]:
    """Return the doubts about a study that went on while the rig held other rig-wide values than when it began."""
    states = held_by(study)
    if not spec.on_rig_wide:
        return []
    return [f"when it went on at {state.time[:16].replace('T', ' ')} UTC, the rig held {change.key} at "
            f"{_or_unset(change.after)}; when it began, at {_or_unset(change.before)}"
            for state in states[1:] for change in changes(states[0].values, state.values)]


def _or_unset(value: Value | None) -> str:
    return "unset" if value is None else written(value)


def spec_of(study: Study) -> Spec:
    """What a study was planned with.

    Raises:
        BookError: it is not of its form.
    """
    spec: Spec = kind_named(study.kind).spec.of_json(study.plan, f"the plan of {study.kind} {study.number}")
    return spec


def result_of(study: Study) -> Any:
    """What came out of a study.

    Raises:
        BookError: it is not of its form.
        UsageError: it is not finished.
    """
    if study.result is None:
        raise UsageError(f"{study.kind} {study.number} is not finished: "
                         f"{way(f'keen studies resume {study.number}', f'ws.studies.resume({study.number})')}")
    return kind_named(study.kind).result.of_json(study.result)


def provenance_of(study: Study) -> Provenance:
    """What its result rests on; nothing, where that is not told.

    Raises:
        BookError: it is not of its form.
    """
    return Provenance.of_json((study.result or {}).get("evidence") or {})


def versions_of(book: "Logbook", rig: str, spec: Spec) -> list[Version]:
    """The versions that a study is about.

    Raises:
        UnknownName: one is not in the logbook, or no longer.
    """
    return [_version_of(book, rig, kept) for kept in spec.versions]


def _version_of(book: "Logbook", rig: str, kept: KeptVersion) -> Version:
    if kept.stored:
        return find(book, kept.reference, rig, lambda: owners(kept.profile))
    return Version(kept.profile, kept.entries, note=kept.note)


def start(book: "Logbook", rig: "Rig", kind: str, spec: Spec) -> Study:
    """Starts a study; nothing of it is remembered if it could not be played at all.

    Raises:
        UsageError: two profiles, no such game, or a setting that the rig does not have.
    """
    from keenlattice.rig.base import game_of
    from keenlattice.study.player import entries_on

    versions = versions_of(book, rig.name, spec)
    game_of(rig, game_for(versions, spec.game))
    book.collect_strays()
    for version in versions if spec.STRICT else ():
        entries_on(rig, version)
    plan = {**spec.to_keep(), HELD: [Held.by(rig).to_keep()]}
    return start_study(book, rig.name, kind, plan, versions[0].reference, versions[-1].reference)


def play_on(book: "Logbook", rig: "Rig", study: Study, progress: Progress | None = None, *,
            begun: bool = False) -> Any:
    """Plays what is left of a study: every run is kept as soon as it is played, and in the end the result.

    Args:
        begun: whether it was begun just now, so that what the rig holds is noted already.

    Raises:
        RigError: the rig refuses, or nothing can be recorded; it says how to go on, if any run was finished by then.
        Paused: of a rig that is changed by hand, if its player goes on later.
    """
    from keenlattice.rig.base import when_stopped

    study = study if begun else _gone_on(book, rig, study)
    try:
        while (result := _played(book, rig, study, progress or _nobody)) is None:
            take_back_run(book, study)
    except RigError as error:
        if not _kept(book, study):
            raise
        raise type(error)(f"{error}. The finished runs are kept: {_resume()} goes on") from None
    except KeyboardInterrupt:
        kept = _kept(book, study)
        runs = "1 finished run is" if kept == 1 else f"{kept} finished runs are"
        raise Stopped(f"stopped; the rig is as {when_stopped(rig)}, and {runs} kept. Next: "
                      f"{_resume()} goes on") from None
    finish(book, rig, study, result)
    return result


class Stopped(KeyboardInterrupt):
    """A study was interrupted; the message says what is kept, and how to go on."""


def _kept(book: "Logbook", study: Study) -> int:
    """How many runs of a study are finished and count."""
    return sum(not run.excluded for run in runs_of(book, study))


def _gone_on(book: "Logbook", rig: "Rig", study: Study) -> Study:
    """The same study, with what the rig holds now if that is not what it held before."""
    states, now_held = held_by(study), Held.by(rig)
    if states and not changes(states[-1].values, now_held.values):
        return study
    plan = {**study.plan, HELD: [*(state.to_keep() for state in states), now_held.to_keep()]}
    return replan(book, study, plan)


def _played(book: "Logbook", rig: "Rig", study: Study, progress: Progress) -> Any:
    """The result of a study; None if its player takes back the run that they handed over last."""
    from keenlattice.study.player import Onlooker
    from keenlattice.study.playing import play

    kind, spec = kind_named(study.kind), spec_of(study)
    versions = versions_of(book, rig.name, spec)
    done = {**failed_of(book, study, kind.failures), **done_of(book, study)}
    count, total = len(done), max(spec.runs, len(done))
    onlooker = progress if isinstance(progress, Onlooker) else None
    if onlooker:
        onlooker.begins(study.kind, spec, done)
    progress(count, total)

    def each(run: "Run") -> None:
        nonlocal count, total
        total = run.most or total
        keep_run(book, study, spec, versions, run)
        if onlooker:
            onlooker.ran(run)
        if not run.excluded:
            count += 1
            progress(count, max(total, count))

    try:
        return play(rig, kind, spec, versions, each, done, _gone_wrong(book, study), held_otherwise(study, spec))
    except TakenBack:
        return None


def _gone_wrong(book: "Logbook", study: Study) -> dict[int, list[tuple[str, str]]]:
    """The runs that went wrong so far, by their place: arm and reason of each."""
    result: dict[int, list[tuple[str, str]]] = {}
    for run in runs_of(book, study):
        if run.excluded:
            result.setdefault(run.place, []).append((run.arm, run.excluded))
    return result


def _nobody(_done: int, _total: int) -> None:
    """Ignores progress."""


def keep_run(book: "Logbook", study: Study, spec: Spec, versions: Sequence[Version], run: "Run") -> None:
    """Keeps a run that was played, with its capture if anything was recorded."""
    place = spec.version_of(run.arm)
    version = f"{study.kind} {study.number}, {spec.ARM}{run.arm}" if place is None else versions[place].id
    file = ""
    if run.capture.shown_ms.size or run.capture.click_ms.size:
        file = book.keep_capture(run.capture, study.rig, game_for(versions, spec.game), version)
    add_run(book, study, KeptRun(run.place, run.arm, run.seed, file, run.excluded[:LONGEST_REASON]))


def finish(book: "Logbook", rig: "Rig", study: Study, result: Form) -> None:
    """Keeps a study's result, with what it rests on."""
    kept = sorted((run.place, run.file) for run in runs_of(book, study) if not run.excluded)
    first = next(iter(held_by(study)), None) or Held.by(rig)
    rests_on = Provenance(study.number, _version.__version__, [file for _, file in kept], study.time, first.facts,
                          first.values)
    finish_study(book, study, {**result.to_keep(), "evidence": rests_on.to_keep()})


def recompute(book: "Logbook", rig: "Rig", study: Study) -> int:
    """Computes a study again from its captures.

    Returns: from how many.

    Raises:
        UsageError: it is not finished.
        KeenLatticeError: a number comes out otherwise; or a run is missing.
    """
    from keenlattice.study.playing import replay

    kind, spec, before = kind_named(study.kind), spec_of(study), result_of(study).to_json()
    captures: dict[int, Capture] = {**failed_of(book, study, 1), **done_of(book, study)}
    now = (kind.again(book, study) if kind.again else
           replay(rig, kind, spec, versions_of(book, rig.name, spec), captures,
                  held_otherwise(study, spec))).to_json()
    differing = _differing(loads(dumps(before)), loads(dumps(now)))
    if differing:
        raise KeenLatticeError(f"{study.kind} {study.number} comes out otherwise now ({', '.join(differing)}): its "
                               f"captures, or the software (then {provenance_of(study).software}), have changed")
    return len(captures)


def _differing(before: Mapping[str, Any], now: Mapping[str, Any]) -> list[str]:
    """The numbers that differ; what went wrong is given by the runs, and not computed from them."""
    return [key for key in before if key != "excluded" and now.get(key) != before[key]]


def _resume() -> str:
    return way("keen studies resume", "ws.studies.resume()")
