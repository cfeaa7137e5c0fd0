"""What each setting does to the stand-in's pipeline. `docs/standin.md` says the same in words.

Settings that are not named here act on nothing: they are the placebos, and the truth about them is known.
"""

from collections.abc import Mapping

from keenlattice.catalog.values import Value
from keenlattice.quickly import dataclass
from keenlattice.rig.standin.build import JUNIPER, Build
from keenlattice.rig.standin.games import Load

ANISOTROPY = {"off": 0.985, "2x": 0.99, "4x": 0.995, "8x": 1.0, "16x": 1.012}
FILTERING = {"best": 1.015, "good": 1.0, "fast": 0.992, "fastest": 0.985}
SAMPLES = {"off": 1.0, "2x": 1.09, "4x": 1.2, "8x": 1.42}
POWER_PLAN = {"balanced": 1.0, "high": 0.97, "saver": 1.35}
PRIORITY = {"lowered": 1.9, "normal": 1.6, "raised": 1.3, "high": 1.15,
            "real-time": 1.15}
POLICY = {"with-load": 1.03, "hold-high": 1.0, "save-power": 1.25}
CORE_MHZ = 2100.0
STABLE_MHZ, CRASHES_PER_S_MHZ = 120.0, 0.002  # the offset from which the core crashes, and how often beyond it
PANEL_RESPONSE_MS = {"off": 7.5, "normal": 4.5, "strong": 3.2}


@dataclass(frozen=True)
class Pipeline:
    """The frame pipeline, as the settings leave it. All times in ms.

    Args:
        cpu_ms, gpu_ms: typical time of a frame on either; `uneven` and `scenes` as in `Load`.
        in_flight: how many frames may be under way when the next begins.
        lead_ms: how long before the GPU is free a frame begins, if it is held back for that (just in time).
        gap_ms: the least time between two frames (the cap); 0 for none.
        oversleep_ms: how late the limiter wakes, at most.
        refresh_ms: time between two refreshes of the panel.
        sync: how frames meet the refresh: "off", "on", "half-rate", "only-above-refresh" or "variable".
        buffers: how many frames may be finished and not yet shown (1 or 2), where sync holds them.
        composed_refreshes: refreshes that the desktop holds each frame for; None if nothing composes.
        panel_ms: from scan-out to half-way lit.
        poll_ms: time between two looks at the input device.
        stall_share, stall_ms: share of interrupts that wait for others on their line, and how long on average.
        burst_slowdown: how far background work slows the CPU stage while it lasts.
        compiles_per_min: shader compilations in mid-game.
        dips_per_min: quiet moments after which the GPU's clock has to rise again.
        core_mhz, power_share, cpu_clock_share: the GPU's clock, the share of its board's power that it may take, and
            the share of the CPU's clock that its power plan gives; for what the rig says of itself.
        warming: as in `Build`.
    """

    cpu_ms: float
    gpu_ms: float
    uneven: float
    scenes: float
    in_flight: int
    lead_ms: float | None
    gap_ms: float
    oversleep_ms: float
    refresh_ms: float
    sync: str
    buffers: int
    composed_refreshes: int | None
    panel_ms: float
    poll_ms: float
    stall_share: float
    stall_ms: float
    burst_slowdown: float
    compiles_per_min: float
    dips_per_min: float
    core_mhz: float = CORE_MHZ
    power_share: float = 1.0
    cpu_clock_share: float = 1.0
    warming: float = JUNIPER.warming


def pipeline(load: Load, value: Mapping[str, Value], build: Build = JUNIPER) -> Pipeline:
    """The pipeline of a game under effective values (`value`: setting key to value), on hardware of that build."""
    submission, depth = value["frame.submission"], value["frame.queue-depth"]
    queue = load.queue if depth == "game decides" else int(depth)
    if submission == "short-queue":
        queue = 1
    act, cpu_ms = build.strength, _cpu_ms(load, value, build)
    stalls = [_stalls(value.get(f"interrupt.mode@{device}", "line")) for device in ("gpu0", "usb0")]
    return Pipeline(
        cpu_ms=cpu_ms,
        gpu_ms=_gpu_ms(load, value, build),
        uneven=load.uneven,
        scenes=load.scenes,
        in_flight=queue + 1,
        lead_ms=1.15 * cpu_ms if submission == "just-in-time" else None,
        gap_ms=0.0 if value["frame.cap"] == "off" else 1000 / float(value["frame.cap"]),
        oversleep_ms=0.5 * float(value["timer.resolution"]),
        refresh_ms=1000 / float(value["display.refresh"]),
        sync=_sync(load, value),
        buffers=2 if value["sync.triple-buffering"] is True else 1,
        composed_refreshes={"exclusive": None, "borderless": 0, "windowed": 1}[str(value["window.mode"])],
        panel_ms=PANEL_RESPONSE_MS[str(value["display.overdrive"])],
        poll_ms=1000 / float(value["input.polling-rate"]),
        stall_share=min(1.0, sum(share for share, _ in stalls) / 2 * act("interrupt.mode")),
        stall_ms=sum(ms for _, ms in stalls) / 2,
        burst_slowdown=(PRIORITY[str(value["process.priority"])] ** act("process.priority")
                        * (1.06 if value["cpu.core-parking"] is True else 1.0) ** act("cpu.core-parking")),
        compiles_per_min=load.compiles_per_min * (
            0.4 if float(value["shader.cache-size"]) >= 4096 else 1.0) ** act("shader.cache-size"),
        dips_per_min=({"with-load": 14.0, "hold-high": 0.0, "save-power": 40.0}[str(value["gpu.clock-policy"])]
                      * max(0.0, act("gpu.clock-policy"))),
        core_mhz=(CORE_MHZ + float(value.get("gpu.core-offset@gpu0", 0))) / POLICY[str(value["gpu.clock-policy"])],
        power_share=float(value.get("gpu.power-limit@gpu0", 100)) / 100,
        cpu_clock_share=0.97 / POWER_PLAN[str(value["cpu.power-plan"])],
        warming=build.warming,
    )


def crashes_per_s(value: Mapping[str, Value]) -> float:
    """How often a game crashes: beyond what its core bears, the oftener the further."""
    beyond = float(value.get("gpu.core-offset@gpu0", 0)) - STABLE_MHZ
    return max(0.0, beyond) * CRASHES_PER_S_MHZ


def _cpu_ms(load: Load, value: Mapping[str, Value], build: Build) -> float:
    act = build.strength
    time = load.cpu_ms * build.cpu_share * POWER_PLAN[str(value["cpu.power-plan"])] ** act("cpu.power-plan")
    time *= (0.93 if value["driver.threaded-submission"] is True else 1.0) ** act("driver.threaded-submission")
    time *= (1.0 if value["memory.rated-speed"] is True else 1.05) ** act("memory.rated-speed")
    time *= (0.992 if value["scheduling.gpu"] == "by-hardware" else 1.0) ** act("scheduling.gpu")
    time *= (1.012 if value["background.overlay"] is True else 1.0) ** act("background.overlay")
    return float(time * (1.03 if value["background.recorder"] is True else 1.0) ** act("background.recorder"))


def _gpu_ms(load: Load, value: Mapping[str, Value], build: Build) -> float:
    act = build.strength
    time = load.gpu_ms * build.gpu_share * (0.25 + 0.75 * (float(value["scaling.render-scale"]) / 100) ** 2)
    time *= ANISOTROPY.get(str(value["texture.anisotropy"]), 1.0) ** act("texture.anisotropy")
    time *= FILTERING[str(value["texture.filter-quality"])] ** act("texture.filter-quality")
    if value["antialias.mode"] != "game decides":
        time *= SAMPLES.get(str(value["antialias.samples"]), 1.0) ** act("antialias.samples")
    time *= (1.08 if value["shading.ambient-occlusion"] == "on" else 1.0) ** act("shading.ambient-occlusion")
    time *= POLICY[str(value["gpu.clock-policy"])] ** act("gpu.clock-policy")
    time *= float((100 / float(value.get("gpu.power-limit@gpu0", 100))) ** 0.35)
    time *= CORE_MHZ / (CORE_MHZ + float(value.get("gpu.core-offset@gpu0", 0)))
    time *= (1.01 if value["background.overlay"] is True else 1.0) ** act("background.overlay")
    time *= (1.05 if value["background.recorder"] is True else 1.0) ** act("background.recorder")
    return float(time) + (0.0 if value["gpu.output"] == "discrete" else build.copy_ms)


def _sync(load: Load, value: Mapping[str, Value]) -> str:
    variable, windowed = value["sync.variable-refresh"], value["window.mode"] != "exclusive"
    if variable == "also-windowed" or (variable == "fullscreen" and not windowed):
        return "variable"
    chosen = value["sync.vertical"]
    if chosen == "game decides":
        return "on" if load.sync else "off"
    return str(chosen)


def _stalls(mode: Value) -> tuple[float, float]:
    """Share of interrupts that wait, and for how many ms on average: on a line others go first at times."""
    return (0.002, 0.2) if mode == "message" else (0.02, 1.5)
