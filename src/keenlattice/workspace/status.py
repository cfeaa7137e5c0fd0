"""Where a player stands: what is on the rig, what was measured, what waits, and what to do next."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import field
from functools import partial
from typing import TYPE_CHECKING, Any, ClassVar

from keenlattice.blocks import Alert, Block, KeyFigure, Table, Telling
from keenlattice.errors import counted
from keenlattice.profile.version import WHOLE_RIG, split, stock
from keenlattice.quickly import dataclass
from keenlattice.report.words import brief_title, capital
from keenlattice.rig.find import described
from keenlattice.workspace.opened import Opened
from keenlattice.workspace.result import NOT_IN_JSON, Result, Rows
from keenlattice.workspace.standing import Standing
from keenlattice.workspace.surveying import restarts

if TYPE_CHECKING:
    from keenlattice.catalog.values import Restart
    from keenlattice.workspace.played import ListedStudy, Played


@dataclass(frozen=True)
class ProfileStatus:
    """How a profile stands.

    Args:
        profile, title: its name, and what players call it.
        on_rig: the version that was applied last, as a reference; "" for none.
        latest: the latest version, as a reference; "" for none.
        slipped: how many of its settings the rig no longer holds as applied.
        trial: the newest trial of the latest version; None for none.
        measured: metric to verdict, of what decided that trial.
        against: what it was measured against.
        updated: of the facts of system, driver and parts that differ from when it was last measured: name to what they
            were and are.
    """

    profile: str
    title: str
    on_rig: str
    latest: str
    slipped: int
    trial: int | None
    measured: Mapping[str, str]
    against: str
    updated: Mapping[str, tuple[object, object]]

    @property
    def verdicts(self) -> str:
        """What decided that trial, in words."""
        return ", ".join(f"{brief_title(name)}: {verdict}" for name, verdict in self.measured.items())


@dataclass(frozen=True, repr=False)
class Status(Result):
    """Where a player stands on a rig.

    Args:
        profiles: the rig-wide one and those of games that have a version or were applied.
        pending: setting to the restart that it waits for.
        unfinished: the studies that were stopped, the newest first.
        wrong: how many settings the checks find clearly wrong.
        next_step: the command to go on with; why: the reason for it.
    """

    SCHEMA: ClassVar[str] = "status"

    rig: str
    profiles: tuple[ProfileStatus, ...]
    pending: "Mapping[str, Restart]"
    unfinished: "tuple[ListedStudy, ...]"
    wrong: int
    next_step: str
    why: str
    _telling: "Callable[[Status], Telling]" = field(metadata=NOT_IN_JSON)

    def _rows(self) -> Rows:
        return [{"profile": profile.profile, "on the rig": profile.on_rig, "latest": profile.latest,
                 "slipped": profile.slipped, "trial": profile.trial} for profile in self.profiles]

    def _caption(self) -> str:
        return f"{self.rig}: next {self.next_step}, since {self.why}"


def status_of(opened: Opened) -> Status:
    """Return where a player stands on the rig of a workspace."""
    from keenlattice.logbook.kept import studies
    from keenlattice.rig.applying import find_drift
    from keenlattice.rig.base import pending_on
    from keenlattice.workspace.kept import finished, listed

    slipped = {drift.version.profile: len(drift.changes) for drift in find_drift(opened.rig, opened.book)}
    trials = [study for study in finished(opened, "trial") if not study.spec.is_pilot]  # type: ignore[attr-defined]
    titles = {WHOLE_RIG: "the whole rig", **{game.name: game.title for game in opened.rig.games()}}
    facts = opened.rig.facts() if trials else {}
    profiles = tuple(_of_profile(opened, name, title, slipped.get(name, 0), trials, facts)
                     for name, title in titles.items())
    profiles_known = tuple(profile for profile in profiles if profile.latest or profile.on_rig)
    waiting = tuple(listed(study) for study in studies(opened.book, opened.rig_name, finished=False))
    pending = dict(pending_on(opened.rig))
    wrong = sum(finding.kind == "wrong" for finding in Standing(opened).findings_now())
    games = [name for name in titles if name != WHOLE_RIG]
    step, why = next(_steps(profiles_known, pending, waiting, wrong, games))
    return Status(opened.rig_name, profiles_known, pending, waiting, wrong, step, why, partial(_tell, opened))


def _of_profile(opened: Opened, profile: str, title: str, slipped: int, trials: "list[Played[Any]]",
                facts: Mapping[str, object]) -> ProfileStatus:
    from keenlattice.rig.applying import version_applied

    applied, latest = version_applied(opened.book, opened.rig_name, profile), opened.book.latest(profile)
    reference = latest.reference if latest else ""
    trial = next((study for study in trials if reference and reference in split(study.result.after)), None)
    return ProfileStatus(
        profile, title, applied.reference if applied else "", reference, slipped, trial.number if trial else None,
        {metric.name: metric.verdict for metric in trial.result.decisive if metric.n} if trial else {},
        trial.result.before if trial else "", _updated(opened, trials, reference, trial, facts) if trial else {})


def _updated(opened: Opened, trials: "list[Played[Any]]", reference: str, trial: "Played[Any]",
             facts: Mapping[str, object]) -> Mapping[str, tuple[object, object]]:
    """Return what an update has changed since a version was last measured, or compared with itself of then."""
    from keenlattice.study.trial.plan import NOW
    from keenlattice.workspace.kept import study_numbered
    from keenlattice.workspace.since import differing_facts

    newest = next(study for study in trials if study is trial or study.result.after == reference + NOW)
    return differing_facts(study_numbered(opened, newest.number), facts)


def _steps(profiles: tuple[ProfileStatus, ...], pending: "Mapping[str, Restart]",
           unfinished: "tuple[ListedStudy, ...]", wrong: int, games: list[str]) -> Iterator[tuple[str, str]]:
    """Yield what could be done next, the most pressing first, each with its reason; never nothing."""
    for profile in profiles:
        if profile.slipped:
            yield "keen drift", f"{profile.on_rig} has slipped: the rig holds something else than was applied"
    for restart in dict.fromkeys(pending.values()):
        yield f"keen rig restart {restart}", f"what was applied waits for a restart of the {restart}"
    for study in unfinished:
        yield f"keen studies resume {study.number}", f"{study.kind} {study.number} was stopped"
    for profile in profiles:
        if profile.latest:
            yield from _with_latest(profile, games)
    if wrong:
        yield "keen survey", f"{counted(wrong, 'setting is', 'settings are')} clearly wrong"
    if games:
        yield f"keen edit {games[0]} SETTING=VALUE", _settled(profiles)
    yield "keen rig game NAME --executable FILE", "no game is known yet"


def _settled(profiles: tuple[ProfileStatus, ...]) -> str:
    """Return why nothing waits: what is known of the latest versions, and no more."""
    latest = [profile for profile in profiles if profile.latest]
    if not latest:
        return "nothing has been set yet"
    if all(profile.latest == profile.on_rig and profile.trial for profile in latest):
        return "every latest version is on the rig and was measured"
    return "every latest version was measured or is on the rig"


def _with_latest(profile: ProfileStatus, games: list[str]) -> Iterator[tuple[str, str]]:
    """Yield what could be done with a profile's latest version: apply it, measure it, or leave it again."""
    verdicts, is_on = set(profile.measured.values()), profile.latest == profile.on_rig
    before = profile.on_rig if profile.on_rig and not is_on else stock(profile.profile).reference
    if profile.profile == WHOLE_RIG and not is_on:
        yield "keen apply rig", f"{profile.latest} is planned, and not on the rig"
    elif profile.trial is None and games:
        game = f" --game {games[0]}" * (profile.profile == WHOLE_RIG)
        yield f"keen trial {before} {profile.latest}{game}", f"{profile.latest} has not been measured"
    elif is_on and profile.updated:
        changed = ", ".join(f"{name} was {then}, and is {now}" for name, (then, now) in profile.updated.items())
        yield f"keen studies since {profile.trial}", f"{profile.latest} was measured before an update: {changed}"
    elif not is_on and "better" in verdicts and "worse" not in verdicts:
        yield f"keen apply {profile.profile}", f"{profile.latest} was measured to be better, and is not on the rig"
    elif is_on and "worse" in verdicts and "better" not in verdicts:
        yield f"keen apply {profile.against}", f"{profile.latest} was measured to be worse, and is on the rig"


def _tell(opened: Opened, status: Status) -> Telling:
    """Return what to do next and why, and what of each profile is on the rig and was measured."""
    blocks: list[Block] = []
    if status.profiles:
        blocks.append(Table(["", "on the rig", "latest version", "measured"], [
            [profile.title, _on_rig(profile), _latest(profile), _measured(profile)] for profile in status.profiles]))
    blocks += [*restarts(status.pending), *(Alert(f"{capital(study.kind)} {study.number} is unfinished: {study.of}")
                                            for study in status.unfinished)]
    if status.wrong:
        blocks.append(Alert(f"{counted(status.wrong, 'setting is', 'settings are')} clearly wrong", "keen survey",
                            "To see which"))
    return Telling([KeyFigure(f"Next: {status.next_step}")],
                   f"Why: {status.why}. Rig {status.rig} ({described(opened.kind)})", blocks)


def _on_rig(profile: ProfileStatus) -> str:
    if not profile.on_rig:
        return "nothing applied"
    slipped = f" ({counted(profile.slipped, 'setting has', 'settings have')} slipped)" * bool(profile.slipped)
    return profile.on_rig + slipped


def _latest(profile: ProfileStatus) -> str:
    return "the same" if profile.latest == profile.on_rig else profile.latest or "-"


def _measured(profile: ProfileStatus) -> str:
    if profile.trial is None:
        return "not measured" if profile.latest else "-"
    return f"{profile.verdicts} (trial {profile.trial}, against {profile.against})"
