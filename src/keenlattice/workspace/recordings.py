"""Recordings of any recorder's, by what their columns mean."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar

from keenlattice._notebook import NOT_IN_JSON, Result, Rows
from keenlattice.workspace.figures import Drawing
from keenlattice.workspace.measuring import Measuring, Metrics
from keenlattice.workspace.opened import VersionLike, kept_as

if TYPE_CHECKING:
    from keenlattice.measure._ingest import Damage, Ingested
    from keenlattice.measure._proposal import Proposal
    from keenlattice.measure.capture import Capture
    from keenlattice.measure.columns import ColumnMap
    from keenlattice.measure.machine_log import LogMap
    from keenlattice.measure.sensor_maps import SensorMap


@dataclass(frozen=True, repr=False)
class Recording(Result):
    """A recording that was read: by which map, how long it is, and its metrics."""

    SCHEMA: ClassVar[str] = "ingest"

    file: str
    columns: "ColumnMap"
    frames: int
    seconds: float
    dropped_frames: int
    capture: str | None
    damage: "tuple[Damage, ...]"
    metrics: Metrics
    segments: Mapping[str, tuple[float, float]]
    run: "Capture" = field(metadata=NOT_IN_JSON)

    def to_json(self) -> dict[str, Any]:
        """The result as JSON types."""
        return {**super().to_json(), "columns": self.columns.model_dump(exclude_none=True)}

    def figure(self) -> Drawing:
        """A picture of the run."""
        from keenlattice.report._capture_figure import capture_figure

        return Drawing(lambda: capture_figure(self.run, self.file))

    def save(self, path: Path | str) -> None:
        """Writes the capture: as CSV or, with any other ending, as Parquet."""
        from keenlattice.measure.parquet import write_capture
        from keenlattice.measure.text import write_text

        path = Path(path)
        (write_text if path.suffix == ".csv" else write_capture)(self.run, path)

    def _rows(self) -> Rows:
        return [{"metric": name, "value": value} for name, value in self.metrics.items()]

    def _caption(self) -> str:
        return f"{self.file}: {self.frames} frames in {self.seconds:.1f} s"


@dataclass(frozen=True)
class NewMap:
    """A column map for a header that is not known yet: what the data alone make likely.

    Args:
        header, rows: the file's first.
        proposal: the map, if one can be told, and the reasons.
    """

    header: Sequence[str]
    rows: Sequence[Sequence[str]]
    proposal: "Proposal"


TakeMap = Callable[[NewMap], bool]
"""Is asked whether a proposed column map is taken."""


class Recordings(Measuring):
    """What reads recordings."""

    def ingest(self, file: Path | str, columns: "ColumnMap | str | None" = None, *, of: VersionLike = "",
               name: str = "", process: str = "", repair: bool = False, log: "Path | str | None" = None,
               log_columns: "LogMap | None" = None, log_starts_s: float | None = None,
               take: TakeMap | None = None) -> Recording | None:
        """Reads a recording of any recorder's.

        Args:
            columns: what its columns mean (`column_map`), or the name of a map that is known; without one, the map
                that is kept for its header, or else one that is proposed by the data.
            of: the version that was played: then it is kept in the logbook.
            name: keeps the map under this name, for other files with that header.
            process: whose rows, if there are several programs'.
            repair: leave out what is damaged, and count it.
            log: a log of the machine that another program kept meanwhile.
            log_columns: what its columns mean (`keenlattice.log_map`); without it, the map that is kept for its header.
            log_starts_s: when it began, in s after the run did; if that is not told, see `measure.machine_log.beside`.
            take: is asked whether a proposed map is taken; without it, it is.

        Returns: None if the proposed map was not taken.

        Raises:
            UsageError: the meaning of the columns cannot be told.
            CaptureError: the file cannot be read.
        """
        from keenlattice.measure._ingest import ingest
        from keenlattice.measure.metrics import metrics_of

        file, version = Path(file), self.find(of) if of else None
        header, known = self._columns(file, columns, take)
        if known is None:
            return None
        known = known.model_copy(update={"name": name or known.name})
        found: Ingested = ingest(file, known, process=process or None, repair=repair)
        if log is not None:
            found = self._with_log(found, Path(log), log_columns, log_starts_s)
        if name or (columns is not None and not isinstance(columns, str)):
            self.book.keep_map(known.name, header, known.model_dump(exclude_none=True))
        kept = None
        if version is not None:
            kept = self.book.keep_capture(found.capture, self.rig_name, version.profile, kept_as(version))
        return Recording(file.name, known, found.capture.frame_ms.size, found.capture.seconds, found.dropped_frames,
                         kept, tuple(found.damage),
                         metrics_of(found.capture), {name: tuple(span) for name, span in found.segments.items()},  # type: ignore[misc]
                         found.capture)

    def _with_log(self, found: "Ingested", log: Path, columns: "LogMap | None", starts_s: float | None) -> "Ingested":
        """A recording with a log of the machine's beside it; the log's map is kept for its header."""
        from dataclasses import replace

        from keenlattice.errors import UsageError
        from keenlattice.measure._header import header_of
        from keenlattice.measure.machine_log import beside, log_map, read_machine_log

        header, _ = header_of(log)
        kept = self._kept_map(header, ("machine",))
        if columns is None and kept is None:
            raise UsageError(f"{log.name}: what its columns mean is not known yet; say so once: --log-time COLUMN "
                             f"--said SERIES=COLUMN; columns: {', '.join(header)}")
        known = columns or log_map(**(kept or {}))
        capture = beside(found.capture, read_machine_log(log, known), found.begin_ms, starts_s)
        if columns:
            self.book.keep_map(known.name, header, known.model_dump())
        return replace(found, capture=capture)

    def _columns(self, file: Path, columns: "ColumnMap | str | None",
                 take: TakeMap | None) -> "tuple[Sequence[str], ColumnMap | None]":
        """A file's header, and what its columns mean; None if that was proposed, and not taken."""
        from keenlattice.errors import UsageError
        from keenlattice.measure._header import header_of
        from keenlattice.measure._layout import NUMBER
        from keenlattice.measure._proposal import propose

        header, rows = header_of(file)
        if columns is not None and not isinstance(columns, str):
            return header, columns
        if known := self.known_map(header, columns or ""):
            return header, known
        commas = any("," in cell and NUMBER.match(cell) for row in rows for cell in row)
        proposal = propose(header, rows, "," if commas else ".")
        if proposal.found is None:
            either = f" ({'; '.join(proposal.why[:4])})" if proposal.why else ""
            raise UsageError(f"{file.name}: which column is the time cannot be told{either}; say so: --time COLUMN "
                             f"--means stamps|intervals --unit s|ms|us|ns; columns: {', '.join(header)}")
        taken = take is None or take(NewMap(header, rows, proposal))
        return header, proposal.found if taken else None

    def known_map(self, header: Sequence[str], name: str = "") -> "ColumnMap | None":
        """The column map of that name; without one, the map that is kept for the header, if one is.

        Raises:
            UnknownName: none has that name.
        """
        from keenlattice.errors import UnknownName
        from keenlattice.measure.columns import column_map

        if name:
            maps = {one: kept for one, kept in self.book.maps().items() if "reads" not in kept[1]}
            if name not in maps:
                raise UnknownName("column map", name, maps, f"there are {', '.join(maps) or 'none yet'}")
            return column_map(**maps[name][1])
        kept = self._kept_map(header, ("frames",))
        return column_map(**kept) if kept else None

    def known_sensor(self, header: Sequence[str]) -> "SensorMap | None":
        """The sensor map that is kept for a header, if one is; the newest by name.

        Args:
            header: the names of a file's columns.
        """
        from keenlattice.measure.sensor_maps import sensor_map

        kept = self._kept_map(header, ("log", "events", "tally"))
        return sensor_map(**kept) if kept else None

    def _kept_map(self, header: Sequence[str], reads: Sequence[str]) -> dict[str, Any] | None:
        """The fields of the map that is kept for a header, the last by name; None if none is.

        Args:
            reads: what the map may be of; `frames` is what a map of a recording does not say.
        """
        same = [fields for known, fields in self.book.maps().values()
                if known == list(header) and fields.get("reads", "frames") in reads]
        return same[-1] if same else None

    def column_map(self, time: str, *, name: str = "unnamed", means: str = "stamps", unit: str = "ms",
                   dropped: str = "", **fields: Any) -> "ColumnMap":
        """A column map, as `keenlattice.column_map` makes it.

        Args:
            time: the column of times.
            name: what the map is called.
            means: "stamps" or "intervals".
            unit: s, ms, us, ns or ticks.
            dropped: `COLUMN=VALUE`, which marks a frame that was never shown.
            fields: the rest.

        Raises:
            UsageError: it is invalid.
        """
        from keenlattice.errors import UsageError
        from keenlattice.measure.columns import column_map

        column, equals, value = dropped.partition("=")
        if dropped and not equals:
            raise UsageError(f"--dropped {dropped!r}: write COLUMN=VALUE")
        marks = {"dropped": column, "dropped_when": value} if dropped else {}
        return column_map(name=name, time=time, means=means, unit=unit, **fields, **marks)

    def log_map(self, time: str, name: str = "", unit: str = "s", said: Mapping[str, str] | None = None) -> "LogMap":
        """A map of a log that another program kept of the machine.

        Args:
            time: the column of times.
            name: what the recording's map is called, which this one's name is made of.
            unit: s, ms, us or ns.
            said: series to column.

        Raises:
            CaptureError: it is invalid.
        """
        from keenlattice.measure.machine_log import log_map

        return log_map(name=f"{name or 'unnamed'}-log", time=time, unit=unit, said=dict(said or {}))
