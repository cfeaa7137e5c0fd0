"""What the stand-in says of itself while it plays: loads as its frames make them, and the clocks, power and heat that
follow from those. They tell of the run, and act on nothing that the pipeline does not have by itself.
"""

import numpy as np

from keenlattice.measure.capture import Floats
from keenlattice.measure.series import Series
from keenlattice.rig.standin.mechanisms import CORE_MHZ, Pipeline

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
    sources = {  # what each comes to, how noisy it is, and in which steps it is told
        "gpu0.load": (gpu_load, 0.0, 1.0), "gpu0.clock": (clock, 0.0, MHZ_STEP), "gpu0.power": (gpu_w, NOISE_W, 0.1),
        "gpu0.temperature": (_warmed(GPU_BEGINS_C, ROOM_C + GPU_C_PER_W * gpu_w), NOISE_C, 1.0),
        "cpu.load": (cpu_load, 0.4, 1.0), "cpu.clock": (cpu_mhz, MHZ_STEP, MHZ_STEP),
        "cpu.power": (cpu_w, NOISE_W, 0.1),
        "cpu.temperature": (_warmed(CPU_BEGINS_C, ROOM_C + CPU_C_PER_W * cpu_w), NOISE_C, 1.0),
        "game-thread.load": (thread_load, 0.0, 1.0)}
    values, noise, step = (np.array(column) for column in zip(*sources.values(), strict=True))
    said = values + noise[:, None] * random.standard_normal(values.shape)
    told = np.round(said / step[:, None]) * step[:, None]
    at_ms = EVERY_MS * np.arange(1, count + 1, dtype=np.float64)
    return {name: Series(at_ms, row) for name, row in zip(sources, told, strict=True)}


def _warmed(begin_c: float, towards_c: Floats) -> Floats:
    """A temperature that follows what the power makes of it, with a lag."""
    fades, found = float(np.exp(-EVERY_MS / 1000 / LAG_S)), []
    for first in range(0, towards_c.size, TOGETHER):
        some = towards_c[first:first + TOGETHER]
        faded = fades ** np.arange(1, some.size + 1)
        found.append(faded * (begin_c + (1 - fades) * np.cumsum(some / faded)))
        begin_c = float(found[-1][-1])
    return np.concatenate(found)
