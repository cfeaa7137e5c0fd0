"""Look up a run that was recorded, and what the columns of a file mean by its header."""

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keenlattice.errors import UnknownName, UsageError, way
from keenlattice.measure.film import is_film
from keenlattice.measure.header import header_of
from keenlattice.measure.layout import NUMBER
from keenlattice.workspace.opened import Opened, VersionLike
from keenlattice.workspace.recording_results import NewMap, TakeMap

if TYPE_CHECKING:
    from keenlattice.measure.capture import Capture
    from keenlattice.measure.columns import ColumnMap
    from keenlattice.measure.film.screen import ScreenMap
    from keenlattice.measure.sensors import SensorMap


def run_of(opened: Opened, like: VersionLike) -> "tuple[str, Capture]":
    """A run by its file, by its name in the logbook, or the newest of a version; with what to call it.

    Args:
        like: which run.

    Raises:
        UsageError: no run of that version is kept.
        CaptureError: the file cannot be read.
    """
    from keenlattice.measure.parquet import read_capture
    from keenlattice.measure.rows import read_text

    path = Path(like) if isinstance(like, str) else Path()
    if path.suffix == ".csv":
        return path.stem, read_text(path)
    if path.suffix == ".parquet":
        return path.stem, read_capture(path) if path.exists() else opened.book.capture(path.name)
    version = opened.find(like)
    kept = opened.runs_of(version)
    name = like if isinstance(like, str) else version.reference
    if not kept:
        raise UsageError(f"no run of {name} on {opened.rig_name} is kept: "
                         f"{way('keen measure', 'ws.measure()')} or {way('keen trial', 'ws.trial()')} records some")
    return name, opened.book.capture(kept[0])


def known_map(opened: Opened, header: Sequence[str], name: str = "") -> "ColumnMap | None":
    """The column map of that name; without one, the map that is kept for the header, if one is.

    Raises:
        UnknownName: none has that name.
    """
    from keenlattice.measure.columns import column_map

    if name:
        maps = {entry: kept for entry, kept in opened.book.maps().items() if "reads" not in kept[1]}
        if name not in maps:
            raise UnknownName("column map", name, maps, f"there are {', '.join(maps) or 'none yet'}")
        return column_map(**maps[name][1])
    kept = kept_map(opened, header, ("frames",))
    return column_map(**kept) if kept else None


def known_sensor(opened: Opened, header: Sequence[str]) -> "SensorMap | None":
    """The sensor map that is kept for a header, if one is; the newest by name.

    Args:
        header: the names of a file's columns.
    """
    from keenlattice.measure.sensors import sensor_map

    kept = kept_map(opened, header, ("log", "events", "tally", "film"))
    return sensor_map(**kept) if kept else None


def known_screen(opened: Opened, header: Sequence[str]) -> "ScreenMap | None":
    """What is kept of films of the screen of a size and rate, if anything is; the newest by name."""
    from keenlattice.measure.columns import made_of
    from keenlattice.measure.film.screen import ScreenMap

    kept = kept_map(opened, header, ("screen",))
    return made_of(ScreenMap, "map of the screen", kept) if kept else None


def kept_map(opened: Opened, header: Sequence[str], reads: Sequence[str]) -> dict[str, Any] | None:
    """The fields of the map that is kept for a header, the last by name; None if none is.

    Args:
        reads: what the map may be of; `frames` is what a map of a recording does not say.
    """
    same = [fields for value, fields in opened.book.maps().values()
            if value == list(header) and fields.get("reads", "frames") in reads]
    return same[-1] if same else None


def columns_of(opened: Opened, file: Path, columns: "ColumnMap | ScreenMap | str | None",
               take: TakeMap | None = None) -> "tuple[Sequence[str], ColumnMap | ScreenMap | None]":
    """Return a file's header, and what its columns mean; None if that was proposed, and not taken. A film is taken for
    one of the screen.

    Args:
        columns: what they mean, or the name of a map; without one, the map that is kept for the header, or else one
            that the data propose.
        take: is asked whether a proposed map is taken; without it, it is.

    Raises:
        UsageError: the meaning of the columns cannot be told.
    """
    from keenlattice.measure.film.screen import ScreenMap
    from keenlattice.measure.proposal import propose

    header, rows = header_of(file)
    if is_film(file) and not columns:
        return header, known_screen(opened, header) or ScreenMap()
    if columns is not None and not isinstance(columns, str):
        return header, columns
    if map_known := known_map(opened, header, columns or ""):
        return header, map_known
    commas = any("," in cell and NUMBER.match(cell) for row in rows for cell in row)
    proposal = propose(header, rows, "," if commas else ".")
    if proposal.found is None:
        either = f" ({'; '.join(proposal.why[:4])})" if proposal.why else ""
        raise UsageError(f"{file.name}: which column is the time cannot be told{either}; say so: --time COLUMN "
                         f"--means stamps|intervals --unit s|ms|us|ns; columns: {', '.join(header)}")
    taken = take is None or take(NewMap(header, rows, proposal))
    return header, proposal.found if taken else None
