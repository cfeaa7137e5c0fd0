"""The ways of running a trial, each with what is shown of it."""

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keenlattice.cli.output import emit, minutes, say
from keenlattice.cli.playing import playing
from keenlattice.cli.typed import HANDS, only
from keenlattice.cli.views.trial import show_pilot, show_played, show_runs_to_come, tell_amounts
from keenlattice.errors import UsageError
from keenlattice.study.limits import BLOCKS_BY_HAND, SIZING
from keenlattice.study.trial.looks import FIRST_LOOK
from keenlattice.workspace.played import RunsToCome

if TYPE_CHECKING:
    import typer

    from keenlattice.study.trial.result import Trial
    from keenlattice.workspace.played import Played
    from keenlattice.workspace.workspace import Workspace

PLAN = ("before", "after", "blocks", "seconds", "decides", "matters", "game", "every_block", "repeats", "warm_up",
        "adjusts_for", "seed", "switch_minutes")
StudyOptions = dict[str, Any]


@dataclass
class Ways:
    """What `keen trial` may be asked for.

    Args:
        game: what is played, if it was said.
        figure: where it is drawn, if it is.
        json: whether results are printed as JSON.
        watch, sensor: of a rig that is changed by hand: where recordings appear, and the port of a sensor.
    """

    ws: "Workspace"
    game: str | None
    figure: Path | None
    json: bool
    watch: Path | None = None
    sensor: str = ""

    def play(self, before: str, after: str, matters: str, options: StudyOptions) -> None:
        """Plays it now."""
        self._tell(matters, options, before)
        if options["blocks"] is not None and options["blocks"] < FIRST_LOOK and not self.json:
            say(f"! fewer than {FIRST_LOOK} blocks have no word, whatever they show: --blocks {FIRST_LOOK} is the "
                "least that can tell")
        plan = self.ws.studies.trials.plan(before, after, matters=matters, **options)
        if self.ws.profiles.find(before, both=True) == self.ws.profiles.find(after, both=True) and not self.json:
            say(f"This plays {before} against itself: it finds no change, but tells how much runs vary, and how many "
                "blocks a trial of another version takes.")
        if plan.sized and not self.json:
            say(f"At most {plan.blocks} blocks of two runs, about {minutes(plan.minutes())}: how much the "
                f"first {SIZING} vary says how many it takes.", "dim")
        with playing(self.ws, "blocks of two runs", self.json, self.watch, self.sensor) as view:
            played = self.ws.studies.trials.play(before, after, plan, self.game, view)
        self._finished(played)

    def take(self, files: list[Path], columns: str) -> None:
        """Takes recordings of one whose runs the player records."""
        trial = self.ws.studies.trials.take(files, columns)
        if not isinstance(trial, RunsToCome):
            self._finished(trial)
        elif self.json:
            emit(trial)
        else:
            show_runs_to_come(trial)

    def plan_files(self, before: str, after: str, matters: str, options: StudyOptions) -> None:
        """Plans one whose runs the player records."""
        self._tell(matters, options, before)
        plan = self.ws.studies.trials.plan(before, after, matters=matters,
                                           **{**options, "blocks": options["blocks"] or BLOCKS_BY_HAND})
        runs = self.ws.studies.trials.from_files(before, after, plan, self.game)
        emit(runs) if self.json else show_runs_to_come(runs)

    def pilot(self, before: str, after: str, blocks: int, matters: str, options: StudyOptions) -> None:
        """Plays a version against itself first."""
        self._tell(matters, options, before)
        plan = self.ws.studies.trials.plan(before, after, matters=matters, **options)
        with playing(self.ws, f"{blocks} blocks of two runs", self.json, self.watch, self.sensor) as view:
            result = self.ws.studies.trials.pilot(before, after, plan, blocks, self.game, view)
        emit(result) if self.json else show_pilot(result, self.ws.profiles.find(after, both=True).reference)

    def _tell(self, matters: str, options: StudyOptions, before: str) -> None:
        if not self.json:
            tell_amounts(self.ws, matters, options["decides"], before)

    def _finished(self, played: "Played[Trial]") -> None:
        show_played(self.ws, played, self.json, self.figure)


def check_what_goes_together(ctx: "typer.Context") -> None:
    """There are several ways of running a trial; each takes what it can use.

    Raises:
        UsageError: an option does not go with the way that was chosen; or no versions were given.
    """
    given = ctx.params
    if given["take"]:
        only(ctx, "--take", "take", "by", "figure")
        return
    if given["pilot"] is not None:
        only(ctx, "--pilot", "pilot", *HANDS, *(name for name in PLAN if name not in ("blocks", "every_block")))
    elif given["from_files"]:
        only(ctx, "--from-files", "from_files", *PLAN)
    else:
        only(ctx, "a trial that is played now", "figure", *HANDS, *PLAN)
    if not (given["before"] and given["after"]):
        from keenlattice.profile.version import profile_of, stock

        profile = profile_of(given["before"] or "GAME")
        raise UsageError(f"a trial takes two versions: keen trial {stock(profile).reference} {profile}; or --take")
