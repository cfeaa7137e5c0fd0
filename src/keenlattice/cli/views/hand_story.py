"""What `keen demo --rig byhand` tells: the guide leads a simulated player, who changes and plays their own machine."""

import os
from collections.abc import Sequence
from dataclasses import dataclass, replace
from importlib.util import find_spec
from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice.cli.guide import Guide
from keenlattice.cli.output import hint, say, show_telling
from keenlattice.cli.views.settings import show_findings
from keenlattice.measure.columns import column_map
from keenlattice.measure.sensors import HEADER, SimulatedSensor, sensor_lines
from keenlattice.profile.matching import Game
from keenlattice.rig.gamelist import Listed
from keenlattice.rig.hand import ComingRun, Noted
from keenlattice.rig.standin.player import SimulatedPlayer, longest
from keenlattice.workspace.handed import Handed

if TYPE_CHECKING:
    from keenlattice.profile.sheet import SheetStep
    from keenlattice.workspace.workspace import Workspace

GAME, SETTING = "brass-orbit", "frame.queue-depth"
BLOCKS, SECONDS, MATTERS = 6, 20.0, "4%"
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
            step = next(one for one in self._to_take if one.title in question)
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
    """The story of a rig that is changed by hand, told step by step in a workspace of its own."""

    ws: "Workspace"
    folder: Path

    def tell(self) -> None:
        """Tells all of it."""
        player = SimulatedPlayer(self.folder / "machine", self.folder / "recordings", seed=1)
        self._what_is_told(player)
        self._what_is_not_known()
        self._trial(player)

    def _what_is_told(self, player: SimulatedPlayer) -> None:
        _heading(1, "A machine that nobody but its player can write to: they tell of it")
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
        say("Their recorder's columns and their light sensor's are known now: later files are told by their headers.")

    def _what_is_not_known(self) -> None:
        _heading(2, "What nobody has told or seen is not known, and is asked about")
        show_findings(self.ws.rig.survey().findings)
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
        hint(f"open that page; or look around in what this left: keen history {GAME} --book {book} --rig byhand")


def _heading(number: int, title: str) -> None:
    say(f"\n{number}. {title}", "bold")
