"""The metrics of many captures: a data set of Parquet files, read one after the other and never all at once."""

from collections.abc import Iterable
from concurrent.futures import Executor
from functools import partial
from pathlib import Path

from keenlattice.errors import CaptureError, counted
from keenlattice.measure.metrics import METRICS, metric, metrics_of
from keenlattice.measure.parquet import read_capture
from keenlattice.notebook import Rows, Shown
from keenlattice.parallel import spread
from keenlattice.quickly import dataclass


@dataclass(frozen=True)
class OneOfMany:
    """One capture of a data set: its file, how long it is, its metrics; or why it could not be read."""

    file: str
    frames: int
    seconds: float
    metrics: dict[str, float]
    refused: str = ""


@dataclass(frozen=True, repr=False)
class ManyMetrics(Shown):
    """The metrics of a data set's captures, in the order of their files."""

    captures: tuple[OneOfMany, ...]

    def _rows(self) -> Rows:
        """A row for each capture that could be read."""
        return [{"file": capture.file, "frames": capture.frames, "seconds": capture.seconds, **capture.metrics}
                for capture in self.captures if not capture.refused]

    def _caption(self) -> str:
        left_out = sum(bool(capture.refused) for capture in self.captures)
        return f"{counted(len(self.captures) - left_out, 'capture')}" + f", {left_out} left out" * bool(left_out)


def metrics_of_dataset(folder: Path, names: Iterable[str] | None = None, executor: Executor | None = None
                       ) -> ManyMetrics:
    """The metrics of all captures below a folder.

    Args:
        folder: of Parquet files, each a capture (such as a logbook's `captures`); links are not followed.
        names: the metrics that are wanted; None for all.
        executor: reads and computes the captures; equal results whatever it is.

    Raises:
        UnknownName: no such metric.
        CaptureError: there is no such folder.
    """
    wanted = tuple(names or METRICS)
    for name in wanted:
        metric(name)
    if not folder.is_dir():
        raise CaptureError(f"{folder} is not a folder of captures")
    files = sorted(path for path in folder.rglob("*.parquet") if path.is_file() and not path.is_symlink())
    return ManyMetrics(tuple(spread(partial(_of_one, folder, wanted), files, executor)))


def _of_one(folder: Path, names: tuple[str, ...], file: Path) -> OneOfMany:
    name = file.relative_to(folder).as_posix()
    try:
        capture = read_capture(file)
    except CaptureError as error:
        return OneOfMany(name, 0, 0.0, {}, str(error))
    return OneOfMany(name, capture.shown_ms.size, capture.seconds, metrics_of(capture, names))
