"""What `keen demo` edits and measures, on either kind of rig, and how it is given."""

import os
from collections.abc import Sequence
from dataclasses import replace
from importlib.util import find_spec
from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice.catalog.values import Value, written
from keenlattice.cli.guide import Guide
from keenlattice.cli.options import DECIDES
from keenlattice.cli.output import hint, say
from keenlattice.cli.playing import progress
from keenlattice.cli.views.blocks import show_blocks, show_keys, show_telling
from keenlattice.cli.views.changes import show_changes
from keenlattice.cli.views.rig import show_rig_briefly
from keenlattice.cli.views.runs import show_latency
from keenlattice.measure.columns import column_map
from keenlattice.measure.sensors import HEADER, SimulatedSensor, sensor_lines
from keenlattice.profile.matching import Game
from keenlattice.quickly import dataclass
from keenlattice.rig.find import described
from keenlattice.rig.gamelist import Listed
from keenlattice.rig.hand import ComingRun, Noted
from keenlattice.rig.standin.player import SimulatedPlayer, longest
from keenlattice.study.trial.words import keys_of
from keenlattice.workspace.handed import Handed
from keenlattice.workspace.surveying import checks_in_blocks

if TYPE_CHECKING:
    from keenlattice.profile.sheet import SheetStep
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
    "here": Story(
        game="scene", edit={"mesa.pp_jimenezmlaa": 8}, why="smoother edges, by a filter after each frame",
        rumour={"mesa.force_glsl_extensions_warn": True}, rumour_why="seen on a list of thirty changes",
        decides=DECIDES, matters_pct=10.0, blocks=8, seconds=3.0,
        pace="Each run starts the scene again, on the real driver: this takes a minute or two."),
}


@dataclass
class StoryText:
    """The story, told step by step in its own workspace."""

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
        _heading(1, "The rig, and what is clearly wrong with it")
        survey = self.ws.rig.survey()
        show_rig_briefly(survey, described(self.ws.rig.kind))
        show_blocks(checks_in_blocks(survey.findings))

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
        with progress(f"{story.blocks} blocks of two runs") as view:
            return self.ws.trial(before, after, progress=view, blocks=story.blocks, seconds=story.seconds, seed=seed,
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
        show_keys(keys_of(result))
        if {metric.verdict for metric in result.decisive} == {"no difference that matters"}:
            say("So it does nothing that matters, and that is shown, not assumed: leave it out.")

    def _go_back(self, at_first: str) -> None:
        if self.ws.book.last_apply(self.ws.rig.name) is None:  # stopped before that
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
        hint(f"open that page; or look around in what this left: keen history {game} --book {book}")


def _heading(number: int, title: str) -> None:
    say(f"\n{number}. {title}", "bold")


GAME, SETTING = "brass-orbit", "frame.queue-depth"
BLOCKS, SECONDS, MATTERS = 6, 20.0, "4%"
FILMED_S = 8.0
CARELESS = 3
"""Which recording the player ends too soon."""


class LedPlayer(Guide):
    """The guide, with a simulated player before it: it says what it says to anybody, and they do it."""

    def __init__(self, ws: "Workspace", player: SimulatedPlayer, sensor: SimulatedSensor | None = None) -> None:
        super().__init__(ws, player.folder, sensor.port if sensor else "")
        self._player, self._recorded, self._light = player, 0, sensor
        self._to_take: Sequence[SheetStep] = ()

    def change(self, steps: "Sequence[SheetStep]") -> Noted:
        self._to_take = steps
        return super().change(steps)

    def back(self, steps: "Sequence[SheetStep]") -> Noted:
        self._to_take = steps
        return super().back(steps)

    def _asked(self, question: str) -> str:
        say(f"> {question}: ")
        answer = ""
        if question.startswith("What does"):
            step = next(setting for setting in self._to_take if setting.title in question)
            answer = str(self._player.sees(step.owner, step.key))
        elif question.startswith("t to take"):
            answer = "w"
        else:
            self._player.take(self._to_take)
        say(f"  the player: {answer or 'done'}", "dim")
        return answer

    def _handed_over(self) -> Handed:
        self._recorded += 1
        run: ComingRun = self._run
        seconds = run.seconds / 5 if self._recorded == CARELESS else longest(run)
        if self._light is None:
            self._player.record(GAME, seconds)
        else:
            played = self._player.record_frames(GAME, seconds)
            self._light.send([HEADER, *sensor_lines(played, self._recorded)])
            self._light.wait()
        return super()._handed_over()


@dataclass
class HandTelling:
    """The story of a rig that is changed by hand, told step by step in its own workspace."""

    ws: "Workspace"
    folder: Path

    def tell(self) -> None:
        """Tells all of it."""
        player = SimulatedPlayer(self.folder / "machine", self.folder / "recordings", seed=1)
        self._what_is_told(player)
        self._what_is_not_known()
        self._trial(player)

    def _what_is_told(self, player: SimulatedPlayer) -> None:
        _heading(1, "A machine that nobody but its player can write to: they describe it")
        ws = self.ws
        say("$ keen rig facts refresh_hz=165; keen rig game brass-orbit --executable brass-orbit", "dim")
        ws.rig.facts.tell({"refresh_hz": 165})
        ws.rig.games.tell(Listed(Game(GAME, "Brass Orbit", (GAME,))))
        frames, light = player.record(GAME, 5)
        say(f'$ keen ingest {frames.name} --time "t [us]" --unit us --program program --name my-recorder', "dim")
        columns = column_map(name="my-recorder", time="t [us]", means="stamps", unit="us", process="program")
        ws.recordings.ingest(frames, columns, name="my-recorder")
        say(f"$ keen latency {light.name} --time micros --light photo --button switch --unit us --name my-sensor",
            "dim")
        ws.recordings.latency.keep_map(light, "my-sensor", time="micros", light="photo", button="switch", unit="us")
        say("Their recorder's columns and their light sensor's are known now: later files are recognised by their "
            "headers.")
        self._a_film()

    def _a_film(self) -> None:
        """A phone does instead of a sensor, where films can be read."""
        if find_spec("av") is None:
            say("A phone's slow motion does instead of a sensor; reading one takes pip install av.")
            return
        from keenlattice.measure.film.made_up import film_of_run

        film = self.folder / "phone.mp4"
        filmed = SimulatedPlayer(self.folder / "machine", self.folder / "filmed", seed=2)
        film_of_run(filmed.play(GAME, FILMED_S), film, seed=1)
        say("\nA phone does instead of a sensor: its slow motion, with a lamp at the button and the screen in view.")
        say("$ keen latency phone.mp4 --shot-at 240", "dim")
        show_latency(self.ws.recordings.latency.of_film(film, shot_at=240))
        say()

    def _what_is_not_known(self) -> None:
        _heading(2, "What nobody has told or seen is not known, and is asked about")
        show_blocks(checks_in_blocks(self.ws.rig.survey().findings))
        say("$ keen rig take-stock background.recorder=off", "dim")
        self.ws.rig.sheets.take_stock({"background.recorder": "off"})

    def _trial(self, player: SimulatedPlayer) -> None:
        _heading(3, "A trial by hand, guided: what to change, what to play; recordings come from a watched folder")
        edited = self.ws.edit(f"{GAME}@stock", {SETTING: 1}, "flippers sooner").after
        live = os.name == "posix" and find_spec("serial") is not None  # else the sensor writes files
        sensor = SimulatedSensor() if live else None
        port = f" --sensor {sensor.port}" if sensor else ""
        say(f"$ keen trial {GAME}@stock {GAME} --matters 4 --watch recordings{port}", "dim")
        with LedPlayer(self.ws, player, sensor) as guide:
            self.ws.rig.machine.hand = guide  # type: ignore[attr-defined]
            played = self.ws.trial(f"{GAME}@stock", edited, blocks=BLOCKS, seconds=SECONDS, seed=1, repeats=1,
                                   matters=MATTERS, progress=guide.told)
        _heading(4, "What came of it")
        show_telling(replace(played.telling(), advice=""))
        page, book = self.folder / f"{GAME}.html", self.folder / "logbook"
        self.ws.report(GAME).save(page)
        say(f"\npage      {page}\nlogbook   {book}")
        hint(f"open that page; or look around in what this left: keen history {GAME} --book {book}")
