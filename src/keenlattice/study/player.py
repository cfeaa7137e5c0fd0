"""Plays the runs of a study: puts a version on, plays, and tells runs that went wrong from those that count.

A run that was played earlier is not played again; so a study that was stopped goes on, and one that is finished is
computed again, by the same code that plays it.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import field
from typing import Any, Protocol, runtime_checkable

import numpy as np

from keenlattice.errors import CaptureError, KeenLatticeError, NeedsInstalling, RefusedByRig, RigError, UsageError, way
from keenlattice.logbook.kept import TAKEN_BACK
from keenlattice.measure.capture import Capture
from keenlattice.measure.course import cut
from keenlattice.measure.doubts import MOST_MISSED, doubts_of
from keenlattice.profile.compare import changes
from keenlattice.profile.concrete import entries_for, values_together
from keenlattice.profile.version import WHOLE_RIG, Entries, Version, joined, owners, parted
from keenlattice.quickly import dataclass
from keenlattice.rig.applying import restart_for
from keenlattice.rig.base import Edits, Restartable, Rig, State, TakesFacts
from keenlattice.rig.hand import ComingRun
from keenlattice.rig.session import Session

HUNG_MS, HUNG_SHARE, HUNG_FRAMES = 1000.0, 0.05, 2.0
"""A run has hung if nothing was shown at its end for longer than each of these: a second, a share of the run, and so
many times its longest frame."""

TRIES = 3  # of a run, before the study is given up for now


class RunsFailed(RigError):
    """A run went wrong as often as it is tried."""


class RunMissing(KeenLatticeError):
    """A study cannot be computed from the runs that there are: one is missing."""


@dataclass(frozen=True)
class Interim:
    """A change as it stands while its study is played, with its interval, in per cent (None where there is none yet).

    Args:
        title: what changed.
        metric: in which metric.
        word: its verdict so far.
        matters_pct: the smallest difference that matters.
    """

    title: str
    metric: str
    change_pct: float | None
    low_pct: float | None
    high_pct: float | None
    word: str
    matters_pct: float


@dataclass(frozen=True)
class Run:
    """One run of a study that was played.

    Args:
        place: which of the planned runs it is, counted from 0.
        block: which block of a trial, round of a screen or of a tuning it belongs to, counted from 0.
        arm: what was on the rig: "before" or "after" in a trial, a row of the design in a screen.
        seed: that it was played with.
        capture: what was recorded; without frames if nothing was.
        excluded: why it does not count; "" if it does.
        most: how many runs the study takes at most, if that is known better by now than before; else 0.
        interim: what the runs before it have told so far, where a study knows.
    """

    place: int
    block: int
    arm: str
    seed: int
    capture: Capture
    excluded: str = ""
    most: int = 0
    interim: tuple[Interim, ...] = ()


Each = Callable[[Run], None]


@runtime_checkable
class Onlooker(Protocol):
    """Learns how a study goes, beside how many runs are done of how many, which any function can be given as
    `progress`."""

    def __call__(self, done: int, total: int) -> None: ...

    def begins(self, kind: str, spec: Any, done: Mapping[int, Capture]) -> None:
        """A study of a kind begins, or goes on with the runs of their places that were played earlier."""

    def ran(self, run: Run) -> None:
        """A run is over; one that went wrong is played again."""


def ignore(_run: Run) -> None:
    """What is called with every run if nobody wants to know."""


@dataclass
class Player:
    """Plays runs of one game, on a rig that is being changed.

    Args:
        rig: what is played on.
        owner: whose settings differ: the game's profile, or the rig-wide one, or both together.
        seconds, warm_up_s: how long a run is, and what is played before it begins to count.
        each: is called with every run once it is played, whether it counts or not.
        done: the runs that were played earlier, by their place; one without frames went wrong as often as it is tried.
        session: of the rig; None if nothing may be played, only computed from what is `done`.
        called: how the arm of a run that went wrong is given, behind the run's number.
        excluded: the runs that went wrong, each with the reason.
        earlier: those that went wrong before the study was stopped, by their place: arm and reason of each.
        most: how many runs it takes at most, once a study knows better than its plan; else 0.
        interim: what the study knows so far, for who looks on.
    """

    rig: Rig
    owner: str
    game: str
    seconds: float
    warm_up_s: float = 0.0
    each: Each = ignore
    done: Mapping[int, Capture] = field(default_factory=dict)
    session: Session | None = None
    called: Callable[[str], str] = " ({})".format
    excluded: list[str] = field(default_factory=list)
    doubts: list[str] = field(default_factory=list)
    earlier: Mapping[int, Sequence[tuple[str, str]]] = field(default_factory=dict)
    most: int = 0
    interim: tuple[Interim, ...] = ()
    _changed: set[str] = field(default_factory=set)

    def play(self, place: int, block: int, arm: str, entries: Callable[[], Entries], seed: int) -> Capture:
        """The capture of a run with these entries on the rig; one that goes wrong is reported, and played again. What
        speaks against one that counts is taken down.

        Args:
            entries: asked only if the run has not been played yet.

        Raises:
            RunsFailed: it went wrong TRIES times.
            RigError: the rig did not take the entries.
            RunMissing: it was not played, and nothing may be.
        """
        capture = self._play(place, block, arm, entries, seed)
        self.doubts += [self._told(place, arm, why) for why in doubts_of(capture)]
        return capture

    def _play(self, place: int, block: int, arm: str, entries: Callable[[], Entries], seed: int) -> Capture:
        wrong = self.earlier.get(place, ())
        self.excluded += [self._told(place, arm, why) for arm, why in wrong]
        if place in self.done:
            return self.done[place]
        tried = sum(why != TAKEN_BACK for _, why in wrong) % TRIES  # as often as it is tried: then it is tried again
        for attempt in range(tried, TRIES):
            drawn = seed if not attempt else int(np.random.default_rng([seed, attempt]).integers(2**31))
            run = self.once(place, block, arm, entries(), drawn, attempt)
            if not run.excluded:
                return run.capture
        raise RunsFailed(f"{run.excluded}; {TRIES} runs in a row went wrong")

    def once(self, place: int, block: int, arm: str, entries: Entries, seed: int, attempt: int = 0) -> Run:
        """One run with these entries on the rig, whether it goes well or not.

        Args:
            attempt: how often it went wrong before.

        Raises:
            RigError: the rig did not take the entries.
            RunMissing: nothing may be played.
        """
        if self.session is None:
            raise RunMissing(f"run {place + 1} is missing: it cannot be computed without")
        self.session.coming(ComingRun(place, arm, self.game, self.seconds + self.warm_up_s, self.owner, entries,
                                      self.warm_up_s, attempt))
        self.put_on(entries)
        try:
            capture = self.session.play(self.game, self.seconds + self.warm_up_s, seed)
            why = self._gone_wrong(capture, entries) or self._hung(capture)
            if self.warm_up_s and not why:
                capture = cut(capture, 1000 * self.warm_up_s, np.inf)
        except (RefusedByRig, NeedsInstalling):
            raise
        except (RigError, CaptureError) as error:
            capture, why = Capture(np.empty(0)), str(error)
        run = Run(place, block, arm, seed, capture, why, self.most, self.interim)
        if why:
            self.excluded.append(self._told(place, arm, why))
        self.each(run)
        return run

    def put_back(self) -> None:
        """What was on the rig before holds again, and in effect."""
        if self.session is not None:
            self.session.take_back()
            restart(self.rig, sorted(self._changed))

    def _told(self, place: int, arm: str, why: str) -> str:
        return f"run {place + 1}{self.called(arm)}: {why}"

    def _gone_wrong(self, capture: Capture, entries: Entries) -> str:
        """Why a run that was recorded does not count; "" if it does."""
        if wrong := changes(held_for(self.rig, self.rig.state(), self.owner), entries):
            return f"the rig no longer held {', '.join(finding.key for finding in wrong)} after the run"
        missed = capture.about.get("missed_share")
        if isinstance(missed, int | float) and missed > MOST_MISSED:
            return (f"the machine was too busy: up to {100 * missed:.0f} % of the frames that were shown may have been "
                    "missed")
        if capture.about.get("focus_lost"):
            return "the game lost the focus during the run"
        return ""

    def _hung(self, capture: Capture) -> str:
        """Whether nothing was shown for the last part of a run that was played here; "" if something was."""
        frames = capture.frame_ms
        if self.session is None or not self.session.by_itself or not frames.size:
            return ""
        silent_ms = 1000 * (self.seconds + self.warm_up_s) - float(capture.shown_ms[-1] - capture.shown_ms[0])
        if silent_ms <= max(HUNG_MS, HUNG_SHARE * 1000 * self.seconds, HUNG_FRAMES * float(frames.max())):
            return ""
        return f"nothing was shown for {silent_ms / 1000:.1f} s at the end: the game hung, or was closed"

    def put_on(self, entries: Entries) -> None:
        """Makes the rig hold exactly these entries for the owner, restarts what has to, and reads them back.

        Raises:
            RigError: the rig did not take the entries.
            RunMissing: nothing may be changed.
        """
        if self.session is None:
            raise RunMissing("nothing may be changed: this is only computed")
        state = self.rig.state()
        differing = changes(held_for(self.rig, state, self.owner), entries)
        if not differing:
            return
        self._changed |= {change.key for change in differing}
        edits = {change.key: change.after for change in differing}
        self.session.put(_changed_for(self.rig, state, self.owner, edits))
        restart(self.rig, [change.key for change in differing])
        refused = changes(held_for(self.rig, self.rig.state(), self.owner), entries)
        if refused:
            raise RefusedByRig(f"the rig {self.rig.name} did not take {', '.join(change.key for change in refused)}")


def held_for(rig: Rig, state: State, owner: str) -> Entries:
    """Return what a state sets for an owner; for a game and the rig together both, as `together.joined` does."""
    game, *whole_rig = owners(owner)
    return joined(rig.values(state, game), rig.values(state, WHOLE_RIG)) if whole_rig else rig.values(state, owner)


def _changed_for(rig: Rig, state: State, owner: str, edits: Edits) -> State:
    """The state after changes for an owner, or for a game and the rig together."""
    for part, edited in parted(owner, edits).items():
        state = {**state, **rig.changed(state, part, edited)} if edited else state
    return state


def restart(rig: Rig, keys: list[str]) -> None:
    """Restarts the driver or the machine if a change of these settings needs it; games start again for every run."""
    needed = restart_for(rig, keys)
    if needed in ("driver", "machine") and isinstance(rig, Restartable):
        rig.restart(needed)


def entries_on(rig: Rig, version: Version) -> Entries:
    """What a version sets on a rig, formulas evaluated.

    Raises:
        UsageError: it sets what the rig does not have, or a value that is not to be had.
    """
    catalog = rig.catalog()
    unknown = [key for key in version.entries if key not in catalog]
    if unknown:
        parts = parted(version.profile, {key: version.entries[key] for key in unknown})
        without = "; ".join(way(f"keen edit {owner} {' '.join(f'{key}=' for key in entries)}",
                                f"ws.edit({owner!r}, {dict.fromkeys(entries)})")
                            for owner, entries in parts.items() if entries)
        raise UsageError(f"{version.reference} sets {', '.join(unknown)}, which the rig {rig.name} does not have; for "
                         f"a trial take it out: {without}")
    if len(owners(version.profile)) > 1:
        held = {} if isinstance(rig, TakesFacts) else rig.values(rig.state(), WHOLE_RIG)  # typed facts stay as they are
        return values_together(catalog, version, rig.facts(), held)
    return entries_for(catalog, version, rig.facts())
