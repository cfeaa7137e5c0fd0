"""A film at the command line: read with its progress shown, and drawn also where it is not sure what it shows."""

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keenlattice.cli.output import warn
from keenlattice.cli.playing import progress
from keenlattice.measure.film import is_film as is_film

if TYPE_CHECKING:
    from keenlattice.workspace.recording_results import LatencyResult, Recording
    from keenlattice.workspace.workspace import Workspace


def of_film(ws: "Workspace", file: Path, of: str, options: dict[str, Any], figure: Path | None, quiet: bool
            ) -> "LatencyResult":
    """The latency in a film, by what was typed.

    Args:
        of: the version that was played, if the result is kept.
        options: what was typed, by parameter.
        figure: where a still is drawn if it is not sure what the film shows.
        quiet: whether nobody looks at how far it is.
    """
    from keenlattice.measure.film.shown import NotSure

    try:
        with progress("pictures", quiet) as report:
            return ws.recordings.latency.of_film(file, options["camera"] or 0.0, options["press"], options["answer"],
                                                 options["readout_ms"], of, report)
    except NotSure as error:
        if figure:
            ws.recordings.latency.still(error.look, file.name).save(figure)
            warn(f"what the film shows is drawn in {figure}")
        raise


def of_screen(ws: "Workspace", file: Path, name: str, mask: Sequence[str], of: str, quiet: bool) -> "Recording | None":
    """The frames in a film of the screen, by what was typed.

    Args:
        name: keeps the mask under this name, for other films of this size and rate.
        mask: areas that do not count.
        of: the version that was played, if the recording is kept.
        quiet: whether nobody looks at how far it is.
    """
    from keenlattice.measure.columns import made_of
    from keenlattice.measure.film.screen import ScreenMap

    fields = {"mask": mask, **({"name": name} if name else {})}
    columns = made_of(ScreenMap, "map of the screen", fields) if mask or name else None
    with progress("pictures", quiet) as report:
        return ws.recordings.ingest(file, columns, of=of, name=name, progress=report)
