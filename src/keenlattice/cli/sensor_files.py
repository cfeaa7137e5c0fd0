"""Which kind of recording a file of latency is, by its name and by what was said of its columns."""

from pathlib import Path
from typing import TYPE_CHECKING, Any

from keenlattice.errors import UsageError

if TYPE_CHECKING:
    from keenlattice.workspace.latencies import LatencyResult
    from keenlattice.workspace.workspace import Workspace


def measured(ws: "Workspace", file: Path, of: str, channel: int, stages: list[str], said: dict[str, Any]
             ) -> "LatencyResult":
    """What is in a file, by its kind and by what was said of its columns; or by the map that is kept for its header."""
    unit = said["unit"]
    if said["camera"] is not None:
        return ws.recordings.latency.of_camera(file, said["camera"], of)
    if said["press"] or said["answer"]:
        named = dict(one.partition("=")[::2] for one in stages)
        return ws.recordings.latency.of_events(file, said["press"], said["answer"], unit, named, of)
    if file.suffix.lower() == ".parquet":
        return ws.recordings.latency.measure(file, of)
    if file.suffix.lower() in (".wav", ".wave"):
        return ws.recordings.latency.of_sound(file, channel, of)
    columns = said["time"], said["light"], said["button"]
    if all(columns):
        return ws.recordings.latency.of_log(file, *columns, unit=unit, of=of)
    if not any(columns) and (known := ws.recordings.latency.by_map(file, of)) is not None:
        return known
    raise UsageError("it is none of our captures (.parquet); say what is in it: --camera FPS for a tally; --time, "
                     "--light and --button for a sensor's log; --press and --answer for events")
