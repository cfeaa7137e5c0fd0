"""What is refused, in which words; and that what lies just within a limit is taken.

`tests/known_refusals.json` holds the words, each once, with the cases that lead to them, to be read beside each other
as a player would; what is not in it is taken. `python tests/test_refused.py` rewrites it, and the commit says why.
"""

import json
import re
import sys
import tempfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path
from types import SimpleNamespace
from typing import Any
from unittest import mock

import numpy as np
import pytest
from league import FleetPlan, play_fleet
from scipy.io import wavfile

from keenlattice import measure, study
from keenlattice.errors import BadValue, KeenLatticeError
from keenlattice.measure import rows
from keenlattice.measure.capture import Capture
from keenlattice.measure.latency import Latency, from_camera
from keenlattice.measure.machine_log import beside, read_machine_log
from keenlattice.measure.sensors import read_events, with_latency
from keenlattice.measure.series import Series
from keenlattice.profile.version import Version, stock
from keenlattice.rig.standin.machine import Standin
from keenlattice.study.deciding import parsed_matters
from keenlattice.study.hunt.plan import HuntSpec
from keenlattice.study.kind import game_for, kind_named
from keenlattice.study.player import entries_on
from keenlattice.study.pool import reading
from keenlattice.study.ramp.plan import steps_of
from keenlattice.study.screen.plan import ScreenSpec, factors_of, half_design, screening_design
from keenlattice.study.trial.plan import TrialSpec
from refusals_of_rigs import Call, LeftOut, of_rigs

KNOWN = Path(__file__).parent / "known_refusals.json"
TAKEN = "taken"
QUOTED = r"(['\"]).*?\1"
LISTS = r"; (there are|it has|in short|nearest|it holds) .*"
NUMBER = r"(?<![\w@])-?(\d[\d.,]*(e[+-]?\d+)?|inf|nan)(?![\w@])"

FACTORS = (("frame.cap",), ("sync.vertical",))
CHOICES = (("frame.queue-depth", (1, 2)),)
MANY = "frame_ms_mean,frame_ms_p99,fps_mean,latency_ms_median"
SCREEN, TUNE, RAMP, HUNT, POOL = (
    partial(study.ScreenPlan, factors=FACTORS),
    partial(study.TunePlan, choices=CHOICES, goal=study.Deciding("fps_mean")),
    partial(study.RampPlan, key="gpu.core-offset@gpu0", by=15.0, margin=30.0),
    partial(study.HuntPlan, trial=study.TrialPlan()), partial(study.PoolPlan, sources=("here",)))
Make = Callable[..., object]
BOUNDS: Mapping[str, tuple[float, float, Sequence[Make]]] = {
    "seconds": (0.5, 7200.0, (study.TrialPlan, SCREEN, TUNE, RAMP, FleetPlan)),
    "seed": (0, 2**63 - 1, (study.TrialPlan, SCREEN, TUNE, RAMP, FleetPlan)),
    "matters_pct": (0.01, 50.0, (study.Deciding, POOL)), "error": (0.001, 0.3, (HUNT, study.BlindPlan)),
    "blocks": (2, 1000, (study.TrialPlan,)), "warm_up_s": (0.0, 600.0, (study.TrialPlan,)),
    "repeats": (1, 20, (study.TrialPlan, SCREEN)), "runs": (1, 50, (RAMP,)), "tries": (1, 30, (FleetPlan,)),
    "players": (1, 1_000_000, (FleetPlan,)), "careless": (0.0, 1.0, (FleetPlan,))}
ROUNDS: Mapping[Make, tuple[int, int]] = {SCREEN: (1, 20), TUNE: (3, 200), study.BlindPlan: (5, 200)}
PLANS: Mapping[str, tuple[Make, Mapping[str, Sequence[Any]]]] = {
    "deciding": (study.Deciding, {
        "metrics": ("frame_ms_mean", "fpz", "", MANY, f"{MANY},cpu_ms_mean", "fps_mean,fps_mean"),
        "matters_of": ((("fps_mean", 3.0, "fps"),), (("fps_mean", 3.0, "ms"),), (("fps_mean", 0.0, "fps"),),
                       (("fps_mean", float("inf"), "fps"),), (("fps_mean", 60.0, "%"),), (("fpz", 1.0, "%"),))}),
    "trial": (study.TrialPlan, {"adjusts_for": ("", "gpu0.temperature", "gpu0", "gpu0.mood", "x" * 90)}),
    "screen": (SCREEN, {"factors": ((), FACTORS[:1])}),
    "tuning": (TUNE, {
        "choices": ((), (("frame.queue-depth", (1,)),), (("frame.cap", tuple(range(30, 230))),),
                    (("frame.cap", tuple(range(30, 231))),)),
        "limits": ((study.Limit("fpz", "below", 8.0),),)}),
    "ramp": (RAMP, {"by": (0.0, float("nan"), 0.1), "margin": (-1.0, float("nan"), 0.0), "goal": ("fpz",)}),
    "pool": (POOL, {"decides": ("fpz", MANY, f"{MANY},cpu_ms_mean")}),
}


NOBODY = SimpleNamespace(meet=None, play=None, answer=None)  # a judge who is never asked


def of_plans() -> dict[str, Call]:
    return {f"{kind}: {field} {place}: {str(value)[:50]}": lambda _, make=make, field=field, value=value: make(
                **{field: value}) for kind, (make, fields) in PLANS.items() for field, values in fields.items()
            for place, value in enumerate(values, 1)}


def of_studies() -> dict[str, Call]:
    cap, depth, odd = (Version("rig", {"frame.cap": 120}), Version("brass-orbit", {"frame.queue-depth": 1}),
                       Version("rig", {"frame.glow": 1, "frame.shine": 2}))
    first = {"frame.cap": 120, "sync.vertical": "off"}

    def play(run: Callable[..., object], *versions: Version, plan: object, game: str | None = None) -> Call:
        return lambda folder: run(Standin(folder), *versions, plan, game)

    ramp = partial(study.RampPlan, by=15.0, margin=30.0)
    return {
        **{f"matters {text!r}": lambda _, text=text: parsed_matters(text, "fps_mean,frame_ms_p99") for text in (
            "1", "1 %", "0.5ms", ".5ms", "3fps", "frame_ms_p99=1ms", "1,fps_mean=2fps", "", "1,", "ms", "1 s", "-1",
            "frame_ms_p99=1fps", "latenzy=1ms", "0.5MB")},
        "matters 3fps of none in fps": lambda _: parsed_matters("3fps", "frame_ms_p99,latency_ms_median"),
        "one factor": lambda _: factors_of({}, first),
        "two groups": lambda _: factors_of({}, first, [["frame.cap"], ["frame.cap", "sync.vertical"]]),
        "groups of what is the same": lambda _: factors_of({}, first, [["a.b", "c.d"]]),
        **{f"a design for {count}": lambda _, count=count: (screening_design(count), half_design(count))
           for count in (0, 1, 100, 101)},
        **{f"half a design for {count}": lambda _, count=count: half_design(count) for count in (0, 101)},
        "two profiles": lambda _: game_for([cap, depth], None), "no game": lambda _: game_for([cap, cap], None),
        "its own game": lambda _: game_for([depth, depth], None),
        "no such kind": lambda _: kind_named("wager" * 20),
        "settings that are not there": lambda folder: entries_on(Standin(folder), odd),
        "steps of a word": lambda folder: steps_of(Standin(folder).catalog(), cap, ramp("sync.vertical")),
        "steps of what there is not": lambda folder: steps_of(Standin(folder).catalog(), cap, ramp("frame.glow")),
        "too small steps": lambda folder: steps_of(Standin(folder).catalog(), cap, ramp("frame.cap", by=0.01)),
        "a trial of no game": play(study.run_trial, stock("rig"), cap, plan=study.TrialPlan()),
        "a hunt in one version": lambda folder: study.run_hunt(Standin(folder), [cap], study.HuntPlan(
            study.TrialPlan())),
        "a blind test of the same": lambda folder: study.run_blind(
            Standin(folder), cap, replace(cap, note="x"), study.BlindPlan(), NOBODY, "brass-orbit"),
        "a league elsewhere": lambda folder: _league(folder, "other.txt"),
        "another league": lambda folder: _league(folder, "league.json"),
        **{f"the kept plan of a {name}": lambda _, spec=spec: spec.of_json({"plan": {}}) for name, spec in (
            ("hunt", HuntSpec), ("trial", TrialSpec), ("screen", ScreenSpec))},
        "the kept plan of a hunt in one version": lambda _: HuntSpec.of_json({
            "line": ["rig@stock"], "plan": study.HuntPlan(study.TrialPlan()).to_json()}),
    }


def _league(folder: Path, name: str) -> object:
    (folder / name).write_text("{}", encoding="utf-8")
    return play_fleet(FleetPlan(players=1), folder)


FIVE, ONE, TWO = np.arange(5.0), np.array([1.0]), np.array([1.0, 2.0])
SHOWN = np.array([0.0, 8.0, 16.0])
WEEK = 7 * 24 * 3600 * 1000.0
MAP = {"name": "mine", "time": "t", "means": "stamps", "unit": "ms"}


CAPTURES: Mapping[str, Mapping[str, Any]] = {
    "clicks without answers": {"click_ms": TWO, "answer_ms": ONE}, "few stage times": {"cpu_ms": TWO},
    "few times of a graphics card": {"gpu_ms": TWO},
    "an odd stage": {"stage_ms": {"dream": np.empty(0)}}, "a short stage": {"stage_ms": {"game": TWO}},
    "time that stands": {"shown_ms": np.array([0.0, 8.0, 8.0, 16.0])},
    "time that goes back": {"shown_ms": np.array([0.0, 8.0, 5.5])}, "no time": {"shown_ms": np.array([0, np.nan, 9])},
    "an endless frame": {"shown_ms": np.array([0.0, np.inf])}, "an endless stage": {"cpu_ms": SHOWN + np.inf},
    "an endless answer": {"click_ms": ONE, "answer_ms": ONE * np.inf},
    "a click at no time": {"click_ms": ONE * np.nan, "answer_ms": ONE},
    "an early answer": {"click_ms": ONE * 2, "answer_ms": ONE},
    "an answer at once": {"click_ms": ONE, "answer_ms": ONE},
    "an answer after a minute": {"click_ms": ONE, "answer_ms": ONE + 60_000},
    "a late answer": {"click_ms": ONE, "answer_ms": ONE + 60_001},
    "a week": {"shown_ms": np.array([0.0, WEEK])}, "more than a week": {"shown_ms": np.array([0.0, WEEK + 1])},
    "a stamp from nowhere": {"shown_ms": 1e20 + np.array([0.0, 1e5])},
    "an odd series": {"telemetry": {"gpu0.mood": Series(ONE, ONE)}},
    "many series": {"telemetry": {f"cpu{one}.load": Series(ONE, ONE) for one in range(70)}}}
SERIES: Mapping[str, tuple[Any, Any]] = {
    "few values": (TWO, ONE), "none": (np.empty(0), np.empty(0)), "twice the same time": (np.array([1.0, 1.0]), TWO),
    "back": (TWO[::-1], TWO), "at no time": (ONE * np.nan, ONE), "endless": (ONE, ONE * np.inf),
    "unsaid": (ONE, ONE * np.nan), "in two rows": (TWO.reshape(1, 2), TWO.reshape(1, 2))}
MAPS: Mapping[str, Mapping[str, Any]] = {
    "ticks without a rate": {"unit": "ticks"}, "a rate without ticks": {"ticks_per_s": 10.0},
    "ticks": {"unit": "ticks", "ticks_per_s": 10.0}, "stages in ticks": {"stage_unit": "ticks"},
    "a stage in us": {"stage_unit": "us"}, "an odd series": {"said": {"gpu0.mood": "c"}}}


def of_captures() -> dict[str, Call]:
    run = Capture(SHOWN, about={"segments": {"duel": [0, 9], "menu": [9, 12]}})
    log = {"gpu0.clock": Series(np.array([0.0, 1.0]), np.array([1e9, 2e9]))}
    sensor = {"name": "mine", "time": "t", "light": "l", "button": "b", "press": "p", "answer": "a", "camera_hz": 240.0}
    return {
        **{f"a capture: {name}": lambda _, more=more: Capture(**{"shown_ms": SHOWN, **more})
           for name, more in CAPTURES.items()},
        **{f"a series: {name}": lambda _, pair=pair: Series(*pair) for name, pair in SERIES.items()},
        **{f"a map: {name}": lambda _, more=more: measure.column_map(**{**MAP, **more}) for name, more in MAPS.items()},
        **{f"a map of {reads} without {field}": lambda _, reads=reads, field=field: measure.sensor_map(
            reads=reads, **{name: value for name, value in sensor.items() if name != field})
           for reads in ("log", "events", "tally") for field in sensor if field != "name"},
        "a sensor's times in ticks": lambda _: measure.sensor_map(reads="log", unit="ticks", **sensor),
        "a log's times in ticks": lambda _: measure.log_map(name="m", time="t", unit="ticks", said={"gpu0.clock": "c"}),
        "a log's times in us": lambda _: measure.log_map(name="m", time="t", unit="us", said={"gpu0.clock": "c"}),
        "a cut of too little": lambda _: measure.cut(run, 1, 9), "a cut of two": lambda _: measure.cut(run, 8, 16),
        "a segment that is not there": lambda _: measure.segment(run, "duell"),
        "a segment": lambda _: measure.segment(run, "duel"),
        "a segment of a run without": lambda _: measure.segment(Capture(SHOWN), "duel"),
        "no such metric": lambda _: measure.metrics_of(run, ["fps_maen"]),
        "clicks that are there already": lambda _: with_latency(Capture(SHOWN, ONE, TWO[1:]), Latency(ONE, TWO[1:])),
        "a sensor that saw nothing": lambda _: with_latency(run, Latency(ONE, ONE * np.nan), 0.0),
        "a log of another time": lambda _: beside(run, log, None, 9.0),
        "a log that began with the run": lambda _: beside(run, log, None),
        **{f"a camera of {rate:g}": lambda _, rate=rate: from_camera([3], rate)
           for rate in (9.9, 10, 100_000, 100_001)},
        **{f"counts {counts}": lambda _, counts=counts: from_camera(counts, 100) for counts in (
            [], [-1], [np.inf, 1], [0, np.nan], [np.nan], [6000], [6001])},
        **{f"{count} answers": lambda _, count=count: measure.described(Latency(FIVE[:count], FIVE[:count] + 9))
           for count in (4, 5)},
        **{f"an interval of {size} frames, at {share:g}": lambda _, size=size, share=share: measure.quantile_interval(
            [np.full(size, 8.0)], share, resamples=20)
           for size, share in ((19, 0.5), (20, 0.5), (20, 0.49), (20, 0.999), (20, 1.0))},
    }


def of_recordings() -> dict[str, Call]:
    plain, several = column(range(0, 400, 8)), "t,who\n0,b\n8,a\n16,a\n24,a\n"

    def ingest(text: str | bytes, program: str | None = None, **fields: str) -> Call:
        columns = measure.column_map(**{**MAP, **fields})
        return lambda folder: measure.ingest(written(folder, text), columns, process=program)

    found: dict[str, Call] = {}
    for how, reader in (("whole", ingest),):
        found |= {f"{how}: {name}": call for name, call in {
            "good": reader(plain), "no such column": reader("x,y\n1,2\n3,4\n"), "one frame": reader("t,x\n1,1\n"),
            "two frames": reader("t,x\n8,1\n16,1\n"), "an empty file": reader(" \n"), "no file": reader(b""),
            "words alone": reader("once upon a time\nthere was a frame\n"), "in seconds": reader(plain, unit="s"),
            "in ns": reader(plain, unit="ns"), "two programs": reader(several, process="who"),
            "no such program": reader(several, "c", process="who"), "one program": reader(several, "a", process="who"),
            "a word for a time": reader(plain.replace("\n80,", "\nlate,")),
            "twice the same time": reader(plain.replace("\n80,", "\n72,")),
            "time runs back": reader(plain.replace("\n80,", "\n16,")),
            "a gap": reader(plain + column(range(90_000, 90_400, 8)).partition("\n")[2]),
            "an interval of nothing": reader("t,x\n8,1\n0,1\n8,1\n8,1\n", means="intervals"),
            "objects": reader('{"t": 0}\n{"t": 8}\n{"t": 16}\n'), "objects without it": reader('{"x": 0}\n{"x": 8}\n'),
            "a list": reader("{1, 2}\n{3, 4}\n"), "in 16 bits": reader(plain.encode("utf-16")),
            "in 16 bits, unmarked": reader(plain.encode("utf-16-le")),
            "with commas": reader("t;x\n0,5;1\n8,5;1\n16,5;1\n"),
        }.items()}
    return found | {
        "too large a file": lambda folder: _with_little_room(folder, plain),
        "many markers": ingest("t,m\n" + "".join(f"{8 * one},{one}\n" for one in range(3000)), marker="m"),
        "none shown": ingest("t,m\n0,1\n8,1\n16,1\n", dropped="m"),
    }


def of_sensors() -> dict[str, Call]:
    def read(reader: Callable[..., object], text: str | bytes, *more: object) -> Call:
        return lambda folder: reader(written(folder, text), *more)

    log = "t,l,b\n" + "".join(f"{at},{at % 500 > 40:d},{at % 500 < 20:d}\n" for at in range(3000))
    late = log.replace("\n2999,", "\n99999999,")
    ours = '# keen-lattice capture {"form": 1}\nkind,at_ms,answer_ms,cpu_ms,gpu_ms\n'
    return {
        "a log": read(measure.read_log, log, "t", "l", "b"),
        "a short log": read(measure.read_log, log[:600], "t", "l", "b"),
        "a log that goes back": read(measure.read_log, log.replace("\n60,", "\n40,"), "t", "l", "b"),
        "a log in s": read(measure.read_log, log, "t", "l", "b", "s"),
        "a log in ns": read(measure.read_log, log, "t", "l", "b", "ns"),
        "a log with a late stamp": read(measure.read_log, late, "t", "l", "b"),
        "a log without presses": read(measure.read_log, log.replace(",1\n", ",0\n"), "t", "l", "b"),
        "a light that stays": read(measure.read_log, log.replace(",1,", ",0,"), "t", "l", "b"),
        "events": read(read_events, "p,a\n0,20\n500,530\n", "p", "a"),
        "events without presses": read(read_events, "p,a\nx,20\ny,30\n", "p", "a"),
        "a tally": read(measure.read_tally, "n\n3\n4\n-\n5\n", 240.0),
        "a tally of words": read(measure.read_tally, "n\n3\n4\nfive\n5\n", 240.0),
        "a tally with empty cells": read(measure.read_tally, "note,n\n1,3\nx,\n1,-\n1,4\n", 240.0),
        "a machine's log": read(_machine, "t,c\n0,1e9\n1,2e9\n"),
        "a machine that was silent": read(_machine, "t,c\n0,x\n1,y\n"),
        "no capture as text": read(measure.read_text, "t,c\n1,2\n"),
        "a capture as text of another form": read(measure.read_text, ours.replace("1}", "9}")),
        "a capture as text without rows": read(measure.read_text, ours),
        "a capture as text, cut short": read(measure.read_text, ours + "frame,1,,,\nframe,2\n"),
        "no capture there": lambda folder: measure.read_capture(folder / "none.parquet"),
        "no folder of captures": lambda folder: measure.metrics_of_dataset(folder / "none"),
        "the third channel": lambda folder: measure.read_sound(folder / "f.wav", 3),
        **{f"a sound of {name}": lambda folder, made=made: _sound(folder, *made) for name, made in {
            "one channel": (1000, np.zeros(200, "int16")), "three channels": (1000, np.zeros((200, 3), "int16")),
            "few samples": (1000, np.zeros((99, 2), "int16")), "199 a second": (199, np.zeros((200, 2), "int16")),
            "no numbers": (1000, np.full((200, 2), np.nan, "float32")), "nothing": (1000, np.zeros((200, 2), "int16")),
        }.items()},
        **{f"evidence: {name}": read(_evidence, text) for name, text in {
            "words": "so it is\n", "a list": "[]\n", "nothing": "", "bytes": b"\xff\xfe\x00\n", "an open brace": "{\n",
            "too long a line": '"' + "x" * 300_000 + '"\n', "many wrong lines": "no\n" * 2000}.items()},
        "evidence that is not there": lambda folder: reading.read_evidence([folder / "none"]),
        "an empty folder": lambda folder: reading.read_evidence([folder]),
        "evidence of another ending": lambda folder: LeftOut(reading.read_source(
            written(folder, "x", "e.txt")).refused),
    }


def _with_little_room(folder: Path, text: str) -> object:
    with mock.patch.object(rows, "MOST_BYTES", 100):
        return measure.ingest(written(folder, text), measure.column_map(**MAP))


def written(folder: Path, content: str | bytes, name: str = "r.csv") -> Path:
    (folder / name).write_bytes(content if isinstance(content, bytes) else content.encode())
    return folder / name


def column(times: Sequence[int]) -> str:
    return "t,x\n" + "".join(f"{at},1\n" for at in times)


def _machine(path: Path) -> object:
    return read_machine_log(path, measure.log_map(name="mine", time="t", said={"gpu0.clock": "c"}))


def _evidence(path: Path) -> object:
    return LeftOut(reading.read_source(path.rename(path.with_suffix(".jsonl"))).refused)


def _sound(folder: Path, rate: int, samples: Any) -> object:
    wavfile.write(folder / "f.wav", rate, samples)
    return measure.read_sound(folder / "f.wav")


CASES: Mapping[str, Call] = {**of_plans(), **of_studies(), **of_captures(), **of_recordings(),
                             **of_sensors(), **of_rigs()}


def said(call: Call, folder: Path) -> str:
    """What a case amounts to: TAKEN, or how a refusal, or what was left out, is worded: without the numbers, what is
    quoted, and the lists."""
    try:
        result = call(folder)
    except KeenLatticeError as error:
        result = LeftOut((f"{type(error).__name__}: {error}",))
    words = " | ".join(result) if isinstance(result, LeftOut) else ""
    words = re.sub("@[0-9a-f]{8}", "@VERSION", words.replace(str(folder), "HERE"))
    for pattern, instead in ((LISTS, ""), (QUOTED, "'...'"), (NUMBER, "#")):
        words = re.sub(pattern, instead, words)
    return words or TAKEN


@pytest.fixture(scope="module")
def words() -> Mapping[str, str]:
    """Of each case that is refused."""
    known: Mapping[str, list[str]] = json.loads(KNOWN.read_text(encoding="utf-8"))
    return {case: text for text, cases in known.items() for case in cases}


def ends() -> list[tuple[Make, str, float, float]]:
    one_field = [(make, field, low, high) for field, (low, high, makes) in BOUNDS.items() for make in makes]
    return [*one_field, *((make, "rounds", *both) for make, both in ROUNDS.items())]


@pytest.mark.parametrize(("make", "field", "low", "high"), ends())
def test_a_number_is_taken_up_to_either_end_and_its_refusal_names_it(make: Make, field: str, low: float, high: float
                                                                    ) -> None:
    step = 1 if isinstance(low, int) else low or 1e-3
    make(**{field: low}), make(**{field: high})
    for beyond in (low - step, high + step):
        with pytest.raises(BadValue) as refused:
            make(**{field: beyond})
        text = str(refused.value)
        assert any(number in text for number in (f"{beyond:.6g}", f"{beyond:g}", str(beyond), f"no {field}")), text


@pytest.mark.parametrize("case", CASES)
def test_it_is_refused_in_these_words_or_taken(case: str, words: Mapping[str, str], tmp_path: Path) -> None:
    assert said(CASES[case], tmp_path) == words.get(case, TAKEN)


def test_the_words_are_those_of_cases_that_there_are(words: Mapping[str, str]) -> None:
    assert words.keys() <= CASES.keys()


def main() -> None:
    known = dict[str, list[str]]()
    for case, call in CASES.items():
        with tempfile.TemporaryDirectory() as folder:
            if (text := said(call, Path(folder))) != TAKEN:
                known.setdefault(text, []).append(case)
    lines = (f"{json.dumps(text, ensure_ascii=False)}: {json.dumps(cases, ensure_ascii=False)}"
             for text, cases in known.items())
    KNOWN.write_text("{\n" + ",\n".join(lines) + "\n}\n", encoding="utf-8")


if __name__ == "__main__":
    sys.exit(main())
