"""A trial of recordings that a player made before any plan: two sets of files, in one call."""

import math
import re
from collections import Counter
from collections.abc import Mapping, Sequence
from glob import glob, has_magic
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keenlattice.errors import UsageError, counted
from keenlattice.logbook.file import now
from keenlattice.logbook.kept import start_study
from keenlattice.measure.film import is_film
from keenlattice.measure.header import header_of
from keenlattice.study.kind import KeptVersion, game_for
from keenlattice.study.record import HELD, Held, finish, held_otherwise, keep_run, versions_of
from keenlattice.workspace._pages import finished_study
from keenlattice.workspace.handed import Handed, in_length, read_handed
from keenlattice.workspace.lookup import columns_of, known_sensor
from keenlattice.workspace.opened import Matters, Opened

if TYPE_CHECKING:
    from keenlattice.logbook.kept import Study
    from keenlattice.measure.capture import Capture
    from keenlattice.measure.columns import ColumnMap
    from keenlattice.study.trial.plan import Arm, TrialSpec
    from keenlattice.workspace.played import Played

Files = Sequence[Path | str] | Path | str
"""Files, or one; a name with `*` or `?` stands for all that match."""

MOST_LETTERS = 200
OF_FILES = "files"
"""The profile of versions that are only labels."""


def trial_of_files(opened: Opened, versions: Mapping[str, Files], columns: "ColumnMap | str", order: Files,
                   decides: str, matters: Matters, game: str | None, warm_up_s: float) -> "Played[Any]":
    """Compare two sets of recordings; see `Trials.of_files`."""
    from keenlattice.study.deciding import Deciding
    from keenlattice.study.trial.plan import TrialPlan, TrialSpec

    if len(versions) != 2:
        raise UsageError(f"{counted(len(versions), 'version')}: a trial of files takes two, each with its files")
    if odd := [label for label in versions if not (0 < len(label) <= MOST_LETTERS and label.isprintable())]:
        raise UsageError(f"{odd[0][:40]!r} is not a label: give 1 to {MOST_LETTERS} letters that can be printed")
    files = {label: _matching(version) for label, version in versions.items()}
    arms = dict(zip(files, ("before", "after"), strict=True))
    _check_counts(files)
    played = _in_order(files, _matching(order) if order else [])
    captures = [_read(opened, file, columns, warm_up_s) for _, file in played]
    seconds = math.floor(10 * min(_seconds_of(capture) for capture in captures)) / 10
    captures = [in_length(capture, seconds, 0.0) for capture in captures]
    order_of_arms: tuple[Arm, ...] = tuple(arms[label] for label, _ in played)  # type: ignore[misc]
    plan = TrialPlan(len(captures) // 2, seconds, 0, Deciding.by(decides, matters), early=False, few_switches=True,
                     order=order_of_arms)
    before, after = (_kept(opened, label, game) for label in files)
    spec = TrialSpec(before, after, plan, game or before.profile, files=True, dated=not order)
    game_for(versions_of(opened.book, opened.rig_name, spec), spec.game)  # of two profiles: before anything is kept
    held = Held(now(), {}, {})  # of the machine that they were recorded on nothing is known
    study = start_study(opened.book, opened.rig_name, "trial", {**spec.to_keep(), HELD: [held.to_keep()]},
                        before.reference, after.reference)
    take_recordings(opened, study, spec, captures, {})
    return finished_study(opened, study.number)


def take_recordings(opened: Opened, study: "Study", spec: "TrialSpec", captures: "Sequence[Capture]",
                    done: "dict[int, Capture]") -> bool:
    """Keep recordings as the next runs of a trial, and conclude it with the last one; return whether it was that.

    Args:
        done: the runs that were kept before, by their place; the new ones are added.
    """
    from keenlattice.study.player import Run, RunMissing
    from keenlattice.study.playing import replay
    from keenlattice.study.trial.play import KIND

    versions, runs = versions_of(opened.book, opened.rig_name, spec), spec.plan.runs()
    for place, capture in enumerate(captures, len(done)):
        keep_run(opened.book, study, spec, versions, Run(place, *runs[place], capture))
        done[place] = capture
    try:
        result = replay(opened.rig, KIND, spec, versions, done, held_otherwise(study, spec))
    except RunMissing:
        return False
    finish(opened.book, opened.rig, study, result)
    return True


def _matching(files: Files) -> list[Path]:
    """Return the files that are meant, those of a pattern in the order of the numbers in their names."""
    paths: list[Path] = []
    for name in [files] if isinstance(files, str | Path) else files:
        if not has_magic(str(name)):
            paths.append(Path(name))
            continue
        matching = sorted(glob(str(name)), key=lambda path: [
            int(part) if part.isdigit() else part for part in re.split(r"(\d+)", path)])
        if not matching:
            raise UsageError(f"no file matches {name}")
        paths += map(Path, matching)
    return paths


def _check_counts(files: Mapping[str, Sequence[Path]]) -> None:
    counts = [f"{len(file)} of {label}" for label, file in files.items()]
    if not all(files.values()):
        raise UsageError(f"{' and '.join(counts)}: a trial takes files of either version")
    if len({len(file) for file in files.values()}) > 1:
        raise UsageError(f"{' and '.join(counts)}: a trial takes as many recordings of either version")
    often = Counter(file.resolve() for path in files.values() for file in path)
    if twice := [file.name for file, count in often.items() if count > 1]:
        raise UsageError(f"{twice[0]} is named twice: each run has its own file")


def _in_order(files: Mapping[str, Sequence[Path]], order: Sequence[Path]) -> list[tuple[str, Path]]:
    """Return label and file of each run, as they were played: as that was told, or by when each file was saved."""
    runs = [(label, file) for label, path in files.items() for file in path]
    try:
        if not order:
            return sorted(runs, key=lambda run: run[1].stat().st_mtime_ns)
    except OSError as error:
        raise UsageError(f"{error.filename}: {error.strerror}") from None
    places = {file.resolve(): place for place, file in enumerate(order)}
    if {file.resolve() for _, file in runs} != places.keys():
        raise UsageError("the order names other files than the versions: it takes each of theirs once")
    return sorted(runs, key=lambda run: places[run[1].resolve()])


def _seconds_of(capture: "Capture") -> float:
    """How long a recording is; of presses alone, from the first to the last."""
    presses = capture.click_ms
    return capture.seconds or (float(presses.max() - presses.min()) / 1000 if presses.size else 0.0)


def _read(opened: Opened, file: Path, columns: "ColumnMap | str", warm_up_s: float) -> "Capture":
    if is_film(file) and not columns and (camera := known_sensor(opened, header_of(file)[0])) is not None:
        return in_length(read_handed(opened, Handed(file, None, file, camera)), float("inf"), warm_up_s)
    columns_known = None if file.suffix == ".parquet" and not columns else columns_of(opened, file, columns or None)[1]
    return in_length(read_handed(opened, Handed(file, columns_known)), float("inf"), warm_up_s)


def _kept(opened: Opened, label: str, game: str | None) -> KeptVersion:
    """Return the version that a label names; any other label is what the player calls what they had set."""
    if "@" in label:
        return KeptVersion.of(opened.find(label, both=True))
    return KeptVersion(label, game or OF_FILES, {}, label, stored=False)
