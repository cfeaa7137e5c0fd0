"""A capture as text: CSV with the same columns as in Parquet, for other programs, and back.

The first line is a comment with what the capture is about, as JSON; then a header, then one row per event: `kind`
("frame" or "click"), `at_ms`, `answer_ms`, `cpu_ms`, `gpu_ms`, then the stages of clicks that are known, as in
Parquet; what is not known is empty. Numbers are written so that they read back exactly. What the machine said of itself
follows as rows `telemetry,AT_MS,SOURCE,VALUE`, in a file of form 2.
"""

import csv
import io
import json
from pathlib import Path

import numpy as np

from keenlattice._files import check_regular, replace_file
from keenlattice._safejson import parse_json
from keenlattice.errors import CaptureError
from keenlattice.measure.capture import Capture, Floats
from keenlattice.measure.parquet import STAGE_COLUMNS
from keenlattice.measure.series import Series

BEGIN = "# keen-lattice capture "
FORM, WITH_TELEMETRY = 1, 2
TELEMETRY = "telemetry"
COLUMNS = ("kind", "at_ms", "answer_ms", "cpu_ms", "gpu_ms")
MOST_BYTES = 2 * 2**30


def write_text(capture: Capture, path: Path) -> None:
    """Writes a capture as CSV, whole or not at all.

    Raises:
        CaptureError: it cannot be written there.
    """
    out = io.StringIO()
    of_clicks = [_texts(times) for times in capture.stage_ms.values()]
    header = (*COLUMNS, *(STAGE_COLUMNS[name] for name in capture.stage_ms))
    form = WITH_TELEMETRY if capture.telemetry else FORM
    out.write(f"{BEGIN}{json.dumps({'form': form, **capture.about})}\n{','.join(header)}\n")
    more = "," * len(of_clicks)
    none = [""] * capture.shown_ms.size
    stages = [_texts(times) if times.size else none for times in (capture.cpu_ms, capture.gpu_ms)]
    out.writelines(f"frame,{at},,{cpu},{gpu}{more}\n"
                   for at, cpu, gpu in zip(_texts(capture.shown_ms), *stages, strict=True))
    out.writelines(f"click,{','.join((at, answer, '', '', *stages))}\n" for at, answer, *stages in zip(
        _texts(capture.click_ms), _texts(capture.answer_ms), *of_clicks, strict=True))
    for name, one in capture.telemetry.items():
        out.writelines(f"{TELEMETRY},{at},{name},{value}\n" for at, value in zip(
            _texts(one.at_ms), _texts(one.values), strict=True))
    try:
        replace_file(path, out.getvalue().encode())
    except OSError as error:
        raise CaptureError(f"cannot write {path}: {error.strerror}") from None


def _texts(values: Floats) -> list[str]:
    return ["" if value != value else repr(value) for value in values.tolist()]


def read_text(path: Path) -> Capture:
    """Reads a capture that `write_text` wrote.

    Raises:
        CaptureError: not there, cut short, or not a capture of ours.
    """
    try:
        check_regular(path)
        if path.stat().st_size > MOST_BYTES:
            raise CaptureError(f"{path} is larger than {MOST_BYTES >> 30} GiB: not read")
        lines = path.read_text(encoding="utf-8").splitlines()
    except (OSError, UnicodeError) as error:
        raise CaptureError(f"cannot read {path}: {error}") from None
    header = tuple(lines[1].split(",")) if len(lines) > 1 and lines[0].startswith(BEGIN) else ()
    stages = [name for name, column in STAGE_COLUMNS.items() if column in header[len(COLUMNS):]]
    if header != (*COLUMNS, *(STAGE_COLUMNS[name] for name in stages)):
        raise CaptureError(f"{path}: CSV, perhaps, but not a capture of Keen Lattice; `keen ingest` reads others")
    try:
        about = parse_json(lines[0].removeprefix(BEGIN), finite=False)
        if about.pop("form") not in (FORM, WITH_TELEMETRY):
            raise CaptureError(f"{path}: another form of a capture than {FORM} and {WITH_TELEMETRY}: update Keen "
                               "Lattice")
        said, rows = dict[str, list[tuple[float, float]]](), list[tuple[str | float, ...]]()
        for kind, *cells in csv.reader(lines[2:]):
            if kind == TELEMETRY:
                at, name, value = cells
                said.setdefault(name, []).append((float(at), float(value or "nan")))
            else:
                rows.append((kind, *(float(cell or "nan") for cell in cells)))
        if any(len(row) != len(header) for row in rows):
            raise ValueError("a row has more cells than others, or fewer")
        numbers = np.array([row[1:] for row in rows], dtype=np.float64).reshape(-1, len(header) - 1)
        frames = np.array([row[0] == "frame" for row in rows], dtype=bool)
    except (ValueError, KeyError, TypeError, AttributeError, csv.Error) as error:
        raise CaptureError(f"{path}: not the columns of a capture: {error}; was it cut short?") from None
    cpu, gpu = (values if values.size and not np.isnan(values).any() else np.empty(0)
                for values in (numbers[frames, 2], numbers[frames, 3]))
    of_clicks = {name: numbers[~frames, len(COLUMNS) - 1 + place] for place, name in enumerate(stages)}
    telemetry = {name: Series(*np.array(samples).T) for name, samples in said.items()}
    return Capture(numbers[frames, 0], numbers[~frames, 0], numbers[~frames, 1], cpu, gpu, about, of_clicks, telemetry)
