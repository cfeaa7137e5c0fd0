"""What `keen demo` edits and measures, on either kind of rig, and how it is told."""

from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice.blocks import MIXED
from keenlattice.catalog.values import Value, written
from keenlattice.cli.options import DECIDES
from keenlattice.cli.output import VERDICT_STYLES, hint, say, show_telling
from keenlattice.cli.playing import progress
from keenlattice.cli.views.rig import show_rig_briefly
from keenlattice.cli.views.settings import show_changes, show_findings
from keenlattice.rig.find import described
from keenlattice.study.trial.words import headline, one_word

if TYPE_CHECKING:
    from keenlattice.profile.version import Version
    from keenlattice.study.trial.result import Trial
    from keenlattice.workspace.played import Played
    from keenlattice.workspace.workspace import Workspace


@dataclass(frozen=True)
class Story:
    """What one rig's demo edits, why, and how it is measured."""

    game: str
    edit: dict[str, Value]
    why: str
    rumour: dict[str, Value]
    rumour_why: str
    decides: str
    matters_pct: float
    blocks: int
    seconds: float
    pace: str


STORIES = {
    "standin": Story(
        game="brass-orbit", edit={"frame.queue-depth": 1}, why="flippers sooner",
        rumour={"process.io-priority": "high"}, rumour_why="seen on a list of thirty changes",
        decides=DECIDES, matters_pct=3.0, blocks=24, seconds=60.0,
        pace="The stand-in simulates a minute of play in a few hundredths of a second."),
    "linux": Story(
        game="scene", edit={"mesa.pp_jimenezmlaa": 8}, why="smoother edges, by a filter after each frame",
        rumour={"mesa.force_glsl_extensions_warn": True}, rumour_why="seen on a list of thirty changes",
        decides=DECIDES, matters_pct=10.0, blocks=8, seconds=3.0,
        pace="Each run starts the scene anew, on the real driver: this takes a minute or two."),
}


@dataclass
class Telling:
    """The story, told step by step in a workspace of its own."""

    ws: "Workspace"
    story: Story
    folder: Path

    def tell(self) -> None:
        """Tells all of it; the rig is put back, also if the player has seen enough and presses Ctrl-C."""
        ws, story = self.ws, self.story
        self._survey()
        at_first = self._begin()
        start = ws.book.commit(story.game, {}, note="as it was", author="demo")
        self._baseline()
        try:
            edited = self._edit_and_apply(start)
            played = self._measure(start, edited)
            self._rumour(edited)
        finally:
            self._go_back(at_first)
        self._where_it_is(played)

    def _survey(self) -> None:
        _heading(1, "The rig, and what is plainly wrong with it")
        found = self.ws.rig.survey()
        show_rig_briefly(found, described(self.ws.rig.kind))
        show_findings(found.findings)

    def _begin(self) -> str:
        _heading(2, "A way back, and where we start")
        at_first = self.ws.rig.fingerprint()
        say(f"Restore point: all that the rig's settings are kept in, as it stands (fingerprint {at_first[:8]}).")
        return at_first

    def _baseline(self) -> None:
        story = self.story
        numbers = self.ws.measure(story.game, 1, story.seconds, 1).runs[0]
        say(f"Baseline: one run of {story.seconds:g} s: {numbers['frame_ms_mean']:.1f} ms a frame "
            f"({numbers['fps_mean']:.0f} fps), {numbers['latency_ms_median']:.0f} ms from click to screen.")
        say("One run describes; it proves nothing. Two single runs differ even if nothing was changed.", "dim")

    def _edit_and_apply(self, start: "Version") -> "Version":
        ws, story = self.ws, self.story
        _heading(3, f"One change for {story.game}: {story.why}")
        made = ws.edit(start, story.edit, story.why)
        typed = " ".join(f"{key}={written(value)}" for key, value in story.edit.items())
        say(f"$ keen edit {story.game} {typed}", "dim")
        show_changes(ws.rig.machine.catalog(), made.changes, "before", "after")
        for key in story.edit:
            say(f"What it trades: {ws.rig.machine.catalog()[key].trades}")
        say(f"$ keen apply {story.game}", "dim")
        ws.apply(made)
        say(f"Applied {made.after.reference}, and read back: it took. Had a write or the power failed half-way, the "
            "rig would be put back.")
        return made.after

    def _trial(self, before: "Version", after: "Version", seed: int) -> "Played[Trial]":
        story = self.story
        with progress(f"{story.blocks} blocks of two runs") as told:
            return self.ws.trial(before, after, progress=told, blocks=story.blocks, seconds=story.seconds, seed=seed,
                                 decides=story.decides, matters=story.matters_pct)

    def _measure(self, start: "Version", edited: "Version") -> "Played[Trial]":
        story = self.story
        _heading(4, "Did it help? Both versions in turn, in blocks, in random order")
        say(f"At most {story.blocks} blocks, each of one {story.seconds:g} s run of either version; it ends once it "
            f"is settled. {story.pace}", "dim")
        played = self._trial(start, edited, 1)
        show_telling(replace(played.telling(), advice=""))
        return played

    def _rumour(self, edited: "Version") -> None:
        ws, story = self.ws, self.story
        _heading(5, f"And the other tip, {story.rumour_why}?")
        with_rumour = ws.edit(edited, story.rumour, story.rumour_why).after
        say(", ".join(f"{key} = {written(value)}" for key, value in story.rumour.items())
            + ", measured in the same way:")
        result = self._trial(edited, with_rumour, 2).result
        say(headline(result), VERDICT_STYLES.get(one_word(result) or MIXED, ""))
        if {one.verdict for one in result.decisive} == {"no difference that matters"}:
            say("So it does nothing that matters, and that is shown, not assumed: leave it out.")

    def _go_back(self, at_first: str) -> None:
        if self.ws.book.last_apply(self.ws.rig.name) is None:  # stopped before it came to that
            return
        _heading(6, "Back to where we started")
        say("$ keen undo", "dim")
        self.ws.undo()
        now = self.ws.rig.fingerprint()
        say(f"The rig is byte for byte as it was (fingerprint {now[:8]})." if now == at_first else
            f"The rig is not as it was: fingerprint {now[:8]}, and it was {at_first[:8]}.")

    def _where_it_is(self, played: "Played[Trial]") -> None:
        game, book = self.story.game, self.folder / "logbook"
        figure, page = self.folder / f"{game}.png", self.folder / f"{game}.html"
        played.figure().save(figure)
        self.ws.report(game).save(page)
        say(f"\nfigure    {figure}\npage      {page}\nlogbook   {book}")
        hint(f"open that page; or look around in what this left: keen history {game} --book {book} --rig "
             f"{self.ws.rig.kind}")


def _heading(number: int, title: str) -> None:
    say(f"\n{number}. {title}", "bold")
