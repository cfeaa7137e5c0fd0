"""A capture as one Parquet file.

One row per event, in three columns: `kind` ("frame" or "click"), `at_ms` (when the frame was shown, or the click
made) and `answer_ms` (when a click was answered; null if it was not, and for frames); then `cpu_ms` and `gpu_ms`,
the stage times of a frame where known, and a column for each stage of a click that is known, `stage_device_ms` and so
on. What the machine said of itself is a row of the kind "telemetry" for each sample, with `source` (`gpu0.clock`) and
`value`; a file with such rows is of form 2, one without of form 1. The file's metadata key `keen-lattice` holds what
the capture is about, as JSON, with the form.
"""

import json
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from keenlattice.errors import CaptureError
from keenlattice.files import open_regular, replace_file
from keenlattice.measure.capture import STAGES, Capture, Floats
from keenlattice.measure.series import MOST_SERIES, Series
from keenlattice.safejson import parse_json

FORM, WITH_TELEMETRY, MOST_ROWS = 1, 2, 12_000_000  # three hours at a thousand frames a second
KEY = b"keen-lattice"
NUMBERS = ("at_ms", "answer_ms", "cpu_ms", "gpu_ms")
STAGE_COLUMNS = {name: f"stage_{name}_ms" for name in STAGES}


def write_capture(capture: Capture, path: Path) -> None:
    """Writes a capture to `path`, whole or not at all.

    Raises:
        CaptureError: it cannot be written there.
    """
    import pyarrow as pa
    import pyarrow.parquet as pq

    frames, clicks = capture.shown_ms.size, capture.click_ms.size
    stages = [np.concatenate([times if times.size else np.full(frames, np.nan), np.full(clicks, np.nan)])
              for times in (capture.cpu_ms, capture.gpu_ms)]
    columns = [np.concatenate([capture.shown_ms, capture.click_ms]),
               np.concatenate([np.full(frames, np.nan), capture.answer_ms]), *stages]
    of_clicks = {STAGE_COLUMNS[name]: np.concatenate([np.full(frames, np.nan), times])
                 for name, times in capture.stage_ms.items()}
    samples = sum(series.at_ms.size for series in capture.telemetry.values())
    columns[0] = np.concatenate([columns[0], *(series.at_ms for series in capture.telemetry.values())])
    numbers = {**dict(zip(NUMBERS, columns, strict=True)), **of_clicks}
    table = pa.table({
        "kind": pa.array(["frame"] * frames + ["click"] * clicks + ["telemetry"] * samples).dictionary_encode(),
        **{name: pa.array(np.concatenate([column, np.full(frames + clicks + samples - column.size, np.nan)]),
                          from_pandas=True) for name, column in numbers.items()},
        **(_telemetry(capture, frames + clicks) if samples else {}),
    }).replace_schema_metadata({KEY: json.dumps({"form": WITH_TELEMETRY if samples else FORM, **capture.about})})
    sink = pa.BufferOutputStream()
    pq.write_table(table, sink, compression="zstd")
    try:
        replace_file(path, sink.getvalue().to_pybytes())
    except OSError as error:
        raise CaptureError(f"cannot write the capture {path}: {error.strerror}; free some room or choose another "
                           "logbook") from None


def _telemetry(capture: Capture, before: int) -> dict[str, Any]:
    """The columns of telemetry, after this many rows without."""
    import pyarrow as pa

    names = [name for name, series in capture.telemetry.items() for _ in range(series.at_ms.size)]
    values = np.concatenate([np.full(before, np.nan), *(series.values for series in capture.telemetry.values())])
    return {"source": pa.array([None] * before + names).dictionary_encode(),
            "value": pa.array(values, from_pandas=True)}


def read_capture(path: Path) -> Capture:
    """Reads a capture that `write_capture` wrote.

    Raises:
        CaptureError: not there, cut short, or not a capture of ours.
    """
    import pyarrow as pa
    import pyarrow.compute as pc
    import pyarrow.parquet as pq

    try:
        with open_regular(path) as file:  # by its handle: Arrow takes no path whose bytes are not UTF-8
            parquet = pq.ParquetFile(file)
            if parquet.metadata.num_rows > MOST_ROWS:
                raise CaptureError(f"{path} holds {parquet.metadata.num_rows} rows: no capture is so long")
            table = parquet.read()
    except FileNotFoundError:
        raise CaptureError(f"there is no capture {path}") from None
    except (OSError, pa.ArrowException) as error:
        reason = str(error).splitlines()[0]
        raise CaptureError(f"cannot read the capture {path}: {reason}; it may have been cut short: record it again"
                           ) from None
    about = _about(table, path)
    try:
        is_frame, is_sample = (np.asarray(pc.fill_null(pc.equal(table["kind"].cast(pa.string()), kind), False))
                               for kind in ("frame", "telemetry"))
        is_click = ~is_frame & ~is_sample
        at, answer, cpu, gpu = (_floats(table[name]) for name in NUMBERS)
        stages = {name: _floats(table[column])[is_click] for name, column in STAGE_COLUMNS.items()
                  if column in table.column_names}
        telemetry = _series(table, at, is_sample) if is_sample.any() else {}
    except (KeyError, ValueError, TypeError, pa.ArrowException) as error:
        raise CaptureError(f"{path}: not the columns of a capture: {error}") from None
    return Capture(at[is_frame], at[is_click], answer[is_click], _known(cpu[is_frame]), _known(gpu[is_frame]), about,
                   stages, telemetry)


def _series(table: Any, at_ms: Floats, is_sample: NDArray[np.bool_]) -> dict[str, Series]:
    names, values = np.asarray(table["source"].to_pylist(), dtype=object)[is_sample], _floats(table["value"])[is_sample]
    names_known = list(dict.fromkeys(str(name) for name in names))[:MOST_SERIES + 1]
    return {name: Series(at_ms[is_sample][names == name], values[names == name]) for name in names_known}


def _about(table: Any, path: Path) -> dict[str, Any]:
    try:
        about: dict[str, Any] = parse_json((table.schema.metadata or {})[KEY], finite=False)
        form = about.pop("form")
    except (KeyError, ValueError, TypeError, AttributeError):
        raise CaptureError(f"{path}: a Parquet file, but not a capture of Keen Lattice") from None
    if form not in (FORM, WITH_TELEMETRY):
        raise CaptureError(f"{path}: form {form} of a capture; this Keen Lattice reads forms {FORM} and "
                           f"{WITH_TELEMETRY}: update it")
    return about


def _floats(column: Any) -> Floats:
    return np.asarray(column.to_numpy(), dtype=np.float64)


def _known(times: Floats) -> Floats:
    return times if times.size and not np.isnan(times).any() else np.empty(0)
