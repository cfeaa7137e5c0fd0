"""Plays a game by simulating its frames: input polled, CPU stage, bounded queue, GPU stage, limiter, sync, scan-out.

Per frame, in ms from the start of the run:

    begins    once the CPU is free, the limiter lets it, and few enough frames are under way; reads the input then
    prepared  after the CPU stage
    rendered  after the GPU stage, which begins once prepared, the GPU is free and there is a buffer to draw into
    shown     at once, or at a refresh, as sync has it
    lit       when the scan-out passes the middle of the panel, and the panel has answered

The stages' times have memory: frames resemble their neighbours, scenes come and go, background work comes in bursts,
shaders compile, the GPU's clock dips and the case warms up. Every run also differs a little from every other.
"""

from collections.abc import Mapping, Sequence
from concurrent.futures import Executor
from functools import partial
from itertools import count, pairwise
from math import inf
from typing import Any

import numpy as np

from keenlattice.measure.capture import STAGES, Capture, Floats
from keenlattice.measure.series import Series
from keenlattice.parallel import spread
from keenlattice.quickly import dataclass
from keenlattice.rig.standin.mechanisms import CORE_MHZ, Pipeline
from keenlattice.rig.standin.recurrence import AT_A_REFRESH, SHOWN, Rules, Times, in_ticks, run

MEMORY = 0.85            # how much of a frame's unevenness the next one inherits
REACH = 32               # frames after which that is no longer felt
FADING = (MEMORY ** np.arange(1, REACH + 1)).astype(np.float32)
RIPPLE = (np.triu(MEMORY ** np.maximum(0, np.arange(REACH) - np.arange(REACH)[:, None]))
          * (1 - MEMORY**2) ** 0.5).astype(np.float32)
SCENE_MS = 2000.0
COURSE = np.random.default_rng(1).standard_normal(97)  # how demanding each scene of a game's course is
DETOUR = 0.25            # how far a run strays from the course
RUN_TO_RUN = 0.004       # standard deviation of what makes whole runs differ (logarithm)
BURST_MS, BURSTS_PER_MIN = 80.0, 6.0
COMPILE_MS = 28.0
DIP_MS, DIP_SLOWDOWN = 150.0, 1.35
WARM_AFTER_S = 60.0
CLICK_EVERY_MS = 250.0


@dataclass(frozen=True)
class _Stages:
    cpu_ms: Floats
    gpu_ms: Floats
    oversleep_ms: Floats
    slowed: Floats


def simulate(line: Pipeline, seconds: float, seed: int, about: Mapping[str, Any] | None = None) -> Capture:
    """A capture of `seconds` of play with about four clicks a second; equal seeds give equal captures.

    Args:
        about: what the capture says of itself.
    """
    typical = max(line.cpu_ms, line.gpu_ms, line.gap_ms)
    for attempt in count():
        frames = int(seconds * 1000 / typical * 1.05 * 1.3**attempt) + 20
        random = np.random.default_rng([seed, 1])
        stages = stages_of(line, frames, typical, random)
        played = run(rules_of(line), stages.cpu_ms, stages.gpu_ms, stages.oversleep_ms)
        if played.shown[-1] >= seconds * 1000:
            break
    kept = int(np.searchsorted(played.shown, seconds * 1000)) + 1
    clicks, answers, spent = _clicks(line, played, stages, seconds, np.random.default_rng([seed, 2]))
    shown, cpu, gpu = played.shown[:kept], stages.cpu_ms[:kept], stages.gpu_ms[:kept]
    series = telemetry(line, shown, cpu, gpu, stages.slowed[:kept], np.random.default_rng([seed, 3]))
    return Capture(shown, clicks, answers, cpu, gpu, stage_ms=spent, telemetry=series, about=about or {})


def simulate_many(line: Pipeline, seconds: float, seeds: Sequence[int],
                  executor: Executor | None = None) -> list[Capture]:
    """A capture for each seed, in their order; with an executor, spread over it, and equal to those without."""
    return spread(partial(simulate, line, seconds), seeds, executor)


def crash_after_s(rate_per_s: float, seed: int) -> float:
    """When a game that crashes so often does; never if it does not."""
    return float(np.random.default_rng([seed, 5]).exponential(1 / rate_per_s)) if rate_per_s else inf


def rules_of(line: Pipeline) -> Rules:
    """What a frame waits for, in whole ticks where only sums are made of it."""
    return Rules(
        in_flight=line.in_flight, gap_ms=float(in_ticks(line.gap_ms)),
        lead_ms=inf if line.lead_ms is None else float(in_ticks(line.lead_ms)),
        shown=SHOWN.get(line.sync, AT_A_REFRESH), period_ms=line.refresh_ms * (2 if line.sync == "half-rate" else 1),
        buffers=line.buffers)


def stages_of(line: Pipeline, frames: int, typical_ms: float, random: np.random.Generator) -> _Stages:
    """How long each frame takes on CPU and GPU, before anything waits for anything."""
    at_s = np.arange(frames) * (typical_ms / 1000)
    per_run = np.exp(random.normal(0, RUN_TO_RUN, 2))
    cpu = line.cpu_ms * per_run[0] * _uneven(line, frames, typical_ms, random)
    gpu = line.gpu_ms * per_run[1] * _uneven(line, frames, typical_ms, random)
    slowed = 1 + line.warming * (1 - np.exp(-at_s / WARM_AFTER_S))
    gpu *= slowed
    for start, end in _spells(BURSTS_PER_MIN, BURST_MS, frames, typical_ms, random):
        cpu[start:end] *= line.burst_slowdown
    for start, end in _spells(line.dips_per_min, DIP_MS, frames, typical_ms, random):
        gpu[start:end] *= DIP_SLOWDOWN
        slowed[start:end] *= DIP_SLOWDOWN
    for start, _ in _spells(line.compiles_per_min, typical_ms, frames, typical_ms, random):
        cpu[start] += random.gamma(4, COMPILE_MS / 4)
    stalled = random.integers(0, frames, random.poisson(line.stall_share * frames))
    gpu[stalled] += random.exponential(line.stall_ms, stalled.size)
    oversleep = np.zeros(frames)
    if line.gap_ms:  # nothing else sleeps
        oversleep = in_ticks(random.random(frames, dtype=np.float32).astype(np.float64) * line.oversleep_ms)
    return _Stages(in_ticks(cpu), in_ticks(gpu), oversleep, slowed)


def _uneven(line: Pipeline, frames: int, typical_ms: float, random: np.random.Generator) -> Floats:
    """What single frames and scenes make of a stage's typical time: a factor with mean near 1.

    Every run plays the same course, so scenes are nearly the same each time; what the player does differs a little.
    """
    fresh = random.standard_normal((frames // REACH + 2, REACH), dtype=np.float32)
    within = fresh @ RIPPLE  # what each frame inherits from those before it in its row; then from the row before
    single = (within[1:] + within[:-1, -1:] * FADING).ravel()[:frames] * line.uneven
    every = max(1, int(SCENE_MS / typical_ms))
    count = frames // every + 2
    scenes = np.resize(COURSE, count) * line.scenes + random.normal(0, line.scenes * DETOUR, count)
    towards = np.arange(every) / every  # the next scene comes gradually
    slow = (scenes[:-1, None] + np.diff(scenes)[:, None] * towards).ravel()[:frames]
    factor: Floats = np.exp(np.add(single, slow, out=slow), out=slow)
    return factor


def _spells(per_min: float, lasting_ms: float, frames: int, typical_ms: float,
            random: np.random.Generator) -> list[tuple[int, int]]:
    """Frame ranges of things that come at random, this many a minute, and last a while."""
    minutes = frames * typical_ms / 60_000
    starts = random.integers(0, frames, random.poisson(per_min * minutes))
    length = max(1, int(lasting_ms / typical_ms))
    return [(int(start), int(start) + length) for start in starts]


def _clicks(line: Pipeline, played: Times, stages: _Stages, seconds: float,
            random: np.random.Generator) -> tuple[Floats, Floats, dict[str, Floats]]:
    """When the player clicks, when the middle of the panel answers, and how long each click spent in each stage."""
    gaps = random.uniform(0.5, 1.5, int(seconds * 1000 / CLICK_EVERY_MS * 1.5) + 10) * CLICK_EVERY_MS
    clicks = np.cumsum(gaps)
    clicks = clicks[clicks < seconds * 1000 - 300]  # the last ones would be answered after the end
    sent = clicks + random.random(clicks.size) * line.poll_ms
    waits = random.random(clicks.size) < line.stall_share
    polled = sent + np.where(waits, random.exponential(line.stall_ms, clicks.size), 0.0)
    frame = np.searchsorted(played.begins, polled)  # the first frame that begins after the input has arrived
    lit = _lit(line, played)
    answered = frame < lit.size
    frame = np.minimum(frame, lit.size - 1)
    begins, cpu, gpu, rendered = (times[frame]
                                  for times in (played.begins, stages.cpu_ms, stages.gpu_ms, played.rendered))
    passed = [clicks, sent, begins, begins + cpu, rendered - gpu, rendered, lit[frame]]
    spent = {name: np.where(answered, after - before, np.nan)
             for name, (before, after) in zip(STAGES, pairwise(passed), strict=True)}
    return clicks, np.where(answered, lit[frame], np.nan), spent


def _lit(line: Pipeline, played: Times) -> Floats:
    """When the middle of the panel shows each frame."""
    period, shown = line.refresh_ms, played.shown
    if line.composed_refreshes is not None and line.sync != "variable":
        scan = period * (np.ceil(shown / period) + line.composed_refreshes)
        return scan + period / 2 + line.panel_ms
    if line.sync in ("off", "only-above-refresh"):  # torn: the scan-out is anywhere, and passes the middle next
        middle = period / 2
        return np.ceil((shown - middle) / period) * period + middle + line.panel_ms
    return shown + period / 2 + line.panel_ms


EVERY_MS = 250.0
GPU_IDLE_W, GPU_BOARD_W = 14.0, 150.0
CPU_IDLE_W, CPU_CORE_W, CPU_MHZ, THREADS = 22.0, 17.0, 4300.0, 16
ROOM_C, GPU_C_PER_W, CPU_C_PER_W = 31.0, 0.27, 0.62
GPU_BEGINS_C, CPU_BEGINS_C, LAG_S = 49.0, 52.0, 20.0
OTHERS_LOAD = 6.0  # %: what else runs
TOGETHER = 1000  # samples whose lag is computed at once: of many more the first would fade to nothing
MHZ_STEP, NOISE_C, NOISE_W = 15.0, 0.3, 1.2


def telemetry(line: Pipeline, shown_ms: Floats, cpu_ms: Floats, gpu_ms: Floats, slowed: Floats,
              random: np.random.Generator) -> dict[str, Series]:
    """The series of a run, a sample each EVERY_MS.

    Args:
        shown_ms, cpu_ms, gpu_ms: of each frame; shape (frames,).
        slowed: by how much the GPU's clock was lower for each frame than it can be: 1 for not at all; shape (frames,).
    """
    count = int(shown_ms[-1] // EVERY_MS)
    if count < 1:
        return {}
    firsts = np.searchsorted(shown_ms, EVERY_MS * np.arange(count + 1))  # of each stretch of time, and of the rest
    frames = np.diff(firsts)
    drawing_ms, game_ms, lag = (np.where(frames, np.add.reduceat(values, firsts)[:-1], 0.0)
                                for values in (gpu_ms, cpu_ms, slowed))
    gpu_load, thread_load = (np.minimum(100.0, 100 * busy / EVERY_MS) for busy in (drawing_ms, game_ms))
    clock = line.core_mhz / np.divide(lag, frames, out=np.ones(count), where=frames > 0)
    gpu_w = GPU_IDLE_W + GPU_BOARD_W * line.power_share * gpu_load / 100 * (clock / CORE_MHZ) ** 2
    cpu_load = np.minimum(100.0, OTHERS_LOAD + 1.6 * thread_load / THREADS)
    cpu_mhz = CPU_MHZ * line.cpu_clock_share * np.ones(count)
    cpu_w = CPU_IDLE_W + CPU_CORE_W * (1.6 * thread_load / 100) * line.cpu_clock_share ** 2
    sources = {  # what each amounts to, how noisy it is, and in which steps it is given
        "gpu0.load": (gpu_load, 0.0, 1.0), "gpu0.clock": (clock, 0.0, MHZ_STEP), "gpu0.power": (gpu_w, NOISE_W, 0.1),
        "gpu0.temperature": (_warmed(GPU_BEGINS_C, ROOM_C + GPU_C_PER_W * gpu_w), NOISE_C, 1.0),
        "cpu.load": (cpu_load, 0.4, 1.0), "cpu.clock": (cpu_mhz, MHZ_STEP, MHZ_STEP),
        "cpu.power": (cpu_w, NOISE_W, 0.1),
        "cpu.temperature": (_warmed(CPU_BEGINS_C, ROOM_C + CPU_C_PER_W * cpu_w), NOISE_C, 1.0),
        "game-thread.load": (thread_load, 0.0, 1.0)}
    values, noise, step = (np.array(column) for column in zip(*sources.values(), strict=True))
    noisy = values + noise[:, None] * random.standard_normal(values.shape)
    rounded = np.round(noisy / step[:, None]) * step[:, None]
    at_ms = EVERY_MS * np.arange(1, count + 1, dtype=np.float64)
    return {name: Series(at_ms, row) for name, row in zip(sources, rounded, strict=True)}


def _warmed(begin_c: float, towards_c: Floats) -> Floats:
    """A temperature that follows what the power makes of it, with a lag."""
    fades, temperatures = float(np.exp(-EVERY_MS / 1000 / LAG_S)), []
    for first in range(0, towards_c.size, TOGETHER):
        targets = towards_c[first:first + TOGETHER]
        faded = fades ** np.arange(1, targets.size + 1)
        temperatures.append(faded * (begin_c + (1 - fades) * np.cumsum(targets / faded)))
        begin_c = float(temperatures[-1][-1])
    return np.concatenate(temperatures)
