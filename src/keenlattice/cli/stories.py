"""What `keen demo` edits and measures, on either kind of rig."""

from dataclasses import dataclass

from keenlattice.catalog.values import Value


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
        decides="latency_ms_median", matters_pct=3.0, blocks=24, seconds=60.0,
        pace="The stand-in simulates a minute of play in a few hundredths of a second."),
    "linux": Story(
        game="scene", edit={"mesa.pp_jimenezmlaa": 8}, why="smoother edges, by a filter after each frame",
        rumour={"mesa.force_glsl_extensions_warn": True}, rumour_why="seen on a list of thirty changes",
        decides="frame_ms_mean", matters_pct=10.0, blocks=6, seconds=3.0,
        pace="Each run starts the scene anew, on the real driver: this takes a minute or two."),
}
