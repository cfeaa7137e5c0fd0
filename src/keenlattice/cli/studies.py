"""What the commands that play many runs share: every run goes into the logbook as soon as it is played."""

import math
import re
from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING, Any, TypeVar

if TYPE_CHECKING:
    from keenlattice.cli.session import Session
    from keenlattice.logbook.studies import Study
    from keenlattice.measure.capture import Capture
    from keenlattice.profile.version import Version
    from keenlattice.trial.kept import KeptVersion
    from keenlattice.trial.player import Run

Result = TypeVar("Result")


def begun(session: "Session", kind: str, versions: "Sequence[Version]", game: str | None,
          plan: Mapping[str, Any]) -> "Study":
    """Begins a study of some versions; nothing of it is remembered if it could not be played at all.

    Raises:
        UsageError: two profiles, no such game, or a setting that the rig does not have.
    """
    from keenlattice.logbook.studies import begin_study
    from keenlattice.rig.base import game_of
    from keenlattice.trial.player import entries_on
    from keenlattice.trial.run import game_for

    game_of(session.rig, game_for(versions[0], versions[-1], game))
    session.book.collect_strays()
    for version in versions if kind != "hunt" else ():  # of history, what the rig does not have is left out
        entries_on(session.rig, version)
    return begin_study(session.book, session.rig.name, kind, {**plan, "game": game})


def keeping(session: "Session", study: "Study", game: str, version_of: Callable[[str], str],
            advance: Callable[[], None]) -> "Callable[[Run], None]":
    """What is to be called with every run of a study: it is kept, and the progress bar moves on.

    Args:
        version_of: tells the id of the version that an arm stands for, or what else to call it.
    """
    from keenlattice.trial.keeping import keep_run

    def each(run: "Run") -> None:
        keep_run(session.book, study, run, game, version_of(run.arm))
        if not run.excluded:
            advance()
    return each


def played(session: "Session", study: "Study", game: str, title: str, total: int, version_of: Callable[[str], str],
           quiet: bool, run: "Callable[[Callable[[Run], None], dict[int, Capture]], Result]") -> "Result":
    """Plays what is left of a study, with a progress bar; every run is kept as soon as it is played.

    Args:
        total: how many runs it takes, as far as that is known.
        version_of: as in `keeping`.
        run: plays it, told what to call with every run, and which runs were played earlier.

    Raises:
        RigError: as `run`; it says how to go on, if any run was finished by then.
    """
    from keenlattice.cli.progress import steps
    from keenlattice.errors import RigError
    from keenlattice.logbook.studies import done_of, runs_of

    done = done_of(session.book, study)
    with steps(title, total, quiet) as advance:
        for _ in done:
            advance()
        try:
            return run(keeping(session, study, game, version_of, advance), done)
        except RigError as error:
            if not any(not one.excluded for one in runs_of(session.book, study)):
                raise
            raise type(error)(f"{error}. The finished runs are kept: keen {command_of(study.kind)} --resume goes "
                              "on") from None


def command_of(kind: str) -> str:
    """The command that a kind of study belongs to."""
    return "tune" if kind == "steps" else kind


def version_kept(session: "Session", kept: "KeptVersion") -> "Version":
    """The version that a study keeps."""
    from keenlattice.profile.version import Version

    return session.find(kept.reference) if kept.stored else Version(kept.profile, kept.entries, note=kept.note)


def matters_pct(session: "Session", text: str, decides: str, before: "Version", quiet: bool = False) -> float:
    """The smallest difference that matters, in per cent, from what a player wrote: `1`, `1%`, `0.5ms` or `3fps`.

    An amount is held against the newest kept run of the version.

    Raises:
        UsageError: it cannot be read, is of another unit than the metric, or no run is there to hold it against.
    """
    from keenlattice.cli.output import say
    from keenlattice.errors import UsageError
    from keenlattice.measure.metrics import metric, metrics_of

    found = re.fullmatch(r"\s*([0-9]*\.?[0-9]+)\s*(%|ms|fps|)\s*", text)
    if not found:
        raise UsageError(f"--matters {text!r}: write per cent, ms or fps, such as 1, 0.5ms or 3fps")
    amount, unit = float(found[1]), found[2]
    if unit in ("", "%"):
        return amount
    if unit != metric(decides).unit:
        raise UsageError(f"--matters {text!r}: {decides} is in {metric(decides).unit}, not in {unit}")
    kept = session.book.captures_of(session.rig_name, before.profile, before.id if before.time else "stock")
    value = metrics_of(session.book.capture(kept[0]), [decides])[decides] if kept else math.nan
    if not value > 0:
        raise UsageError(f"--matters {text!r}: no run of {before.reference} is kept that tells how much {amount:g} "
                         f"{unit} are of it: apply it and keen measure it first, or write per cent")
    if not quiet:
        say(f"{amount:g} {unit} of the {value:.1f} {unit} of its newest run are {100 * amount / value:.2g} %.", "dim")
    return round(100 * amount / value, 4)


def recompute(again: "Callable[[dict[int, Capture]], dict[str, Any]]", session: "Session", kind: str, number: int,
              json: bool) -> None:
    """Computes a study again from its captures, and says whether every number comes out as it was.

    Args:
        again: gives the result, as it is kept, from the captures by their place.

    Raises:
        KeenLatticeError: one comes out otherwise, or the study is not through.
    """
    from json import dumps, loads

    from keenlattice.cli.output import emit_json, say
    from keenlattice.errors import KeenLatticeError, UsageError
    from keenlattice.logbook.studies import done_of, failed_of, study
    from keenlattice.trial.kept import evidence

    found = study(session.book, session.rig.name, number, kind)
    if found.result is None:
        raise UsageError(f"{kind} {number} is not through: keen {kind} --resume")
    captures = {**failed_of(session.book, found), **done_of(session.book, found)}
    fresh = loads(dumps(again(captures)))
    excluded = {"evidence", "excluded"}  # what went wrong is told by the runs, not computed from them
    differing = [key for key in found.result if key not in excluded and fresh.get(key) != found.result[key]]
    if differing:
        raise KeenLatticeError(f"{kind} {number} comes out otherwise now ({', '.join(differing)}): its captures, or "
                               f"the software (then {evidence(found.result).software}), have changed")
    if json:
        emit_json(f"{kind}-again", {"study": number, "equal": True, "runs": len(captures)})
        return
    say(f"{kind.capitalize()} {number}: from its {len(captures)} captures every number comes out as it was, to the "
        "last bit.")


def say_excluded(excluded: tuple[str, ...]) -> None:
    """Names the runs that went wrong: they count in nothing."""
    from keenlattice.cli.output import say

    for one in excluded:
        say(f"! {one}: it does not count, and was played again")
