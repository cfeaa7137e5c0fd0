"""Evidence from any source: files of records, packs, whole logbooks, and folders of all of these.

All of it may come from strangers. A file that holds no evidence, or breaks a bound, is one line, and the rest is read.
"""

import json
import os
from collections.abc import Iterator, Sequence
from concurrent.futures import Executor
from contextlib import contextmanager
from io import BytesIO
from pathlib import Path
from typing import TYPE_CHECKING, Any

from keenlattice.catalog.load import catalog
from keenlattice.errors import KeenLatticeError
from keenlattice.files import check_regular, open_regular
from keenlattice.logbook.schema import is_there
from keenlattice.logbook.takeover import ReadBook
from keenlattice.parallel import spread, spread_out
from keenlattice.profile.pack import read_pack
from keenlattice.quickly import dataclass
from keenlattice.safejson import parse_json
from keenlattice.study.pool.columns import TEXTS, EvidenceError, flattened, schema
from keenlattice.study.pool.evidence import MOST_SWITCHED, EvidencePlan, EvidenceRecord, Found, Switch, digest
from keenlattice.study.pool.from_studies import records_of
from keenlattice.study.pool.vetting import vetted

if TYPE_CHECKING:
    import pyarrow as pa

    from keenlattice.profile.pack import Claim, Pack, Rule

ENDINGS = (".jsonl", ".parquet", ".toml")
MOST_FILES, MOST_BYTES, MOST_LINE, MOST_TOLD = 1_000_000, 256 * 1024**2, 64 * 1024, 5
MOST_BYTES_OF_LINES, MOST_WRONG, MOST_REFUSED = 64 * 1024**2, 1000, 200
MOST_ROWS, MOST_ROWS_KEPT, ROWS_AT_ONCE = 5_000_000, 1_000_000_000, 50_000


@dataclass(frozen=True)
class Read:
    """What was read.

    Args:
        table: the rows (`flat.schema`).
        refused: a line for each file, record or kind of row that was left out.
    """

    table: "pa.Table"
    refused: tuple[str, ...]


def read_evidence(paths: Sequence[Path], executor: Executor | None = None) -> Read:
    """The evidence in some files, logbooks and folders.

    Args:
        executor: reads the files; equal results whatever it is.

    Raises:
        EvidenceError: one of the paths is not there, or there is no evidence in any.
    """
    import pyarrow as pa

    results = spread(read_source, _all_sources(paths), executor)
    refused = tuple(line for item in results for line in item.refused)
    return Read(pa.concat_tables([item.table for item in results]), refused)


def collect_evidence(paths: Sequence[Path], target: Path, executor: Executor | None = None) -> tuple[str, ...]:
    """Brings the evidence in some files, logbooks and folders into one Parquet file, with no more of it in memory than
    is in a few of them.

    Args:
        target: the file.
        executor: as in `read_evidence`.

    Returns: a line for each file, record or kind of row that was left out.

    Raises:
        EvidenceError: as `read_evidence`.
    """
    import pyarrow as pa
    import pyarrow.parquet as pq

    sources, refused, waiting = _all_sources(paths), list[str](), list[Any]()
    with pq.ParquetWriter(target, schema(), compression="zstd") as writer:
        def write() -> None:
            if waiting:
                writer.write_table(pa.concat_tables(waiting).unify_dictionaries())
                waiting.clear()

        for item in spread_out(read_source, sources, executor):
            waiting.append(item.table)
            refused += item.refused
            if sum(map(len, waiting)) >= ROWS_AT_ONCE:
                write()
        write()
    return _few(refused, "{} more files, records or kinds of row", MOST_REFUSED)


def chosen(path: Path, metrics: Sequence[str], game: str = "") -> "pa.Table":
    """The rows of a Parquet file of evidence that are about some metrics, read group by group.

    Args:
        metrics: their names.
        game: of this game alone; of all, if it is empty.

    Raises:
        EvidenceError: it is not evidence, or damaged.
    """
    import pyarrow as pa

    results = [schema().empty_table()]
    with _opened(path, MOST_ROWS_KEPT) as file:
        for number in range(file.num_row_groups):
            rows, refused = vetted(file.read_row_group(number), str(path))
            if refused:
                raise EvidenceError(f"{refused[0]}: it is damaged, or was tampered with")
            results.append(of_plan(rows, metrics, game))
    return pa.concat_tables(results)


def of_plan(table: "pa.Table", metrics: Sequence[str], game: str = "") -> "pa.Table":
    """The rows of a table that are about some metrics (and of one game)."""
    import pyarrow as pa
    import pyarrow.compute as pc

    def among(column: str, wanted: Sequence[str]) -> Any:
        return pa.chunked_array([pc.is_in(chunk.dictionary, value_set=pa.array(wanted, pa.string())).take(chunk.indices)
                                 for chunk in table[column].chunks], pa.bool_())

    good = among("metric", [*metrics])
    good = pc.and_(good, among("game", [game])) if game else good
    return table if pc.all(good, min_count=0).as_py() else table.filter(good)


@contextmanager
def _opened(path: Path, most_rows: int = MOST_ROWS) -> Iterator[Any]:
    """A Parquet file of bounded size, whose texts are read as dictionaries.

    Args:
        most_rows: that it may have.

    Raises:
        EvidenceError: it is none, or larger.
    """
    import pyarrow as pa
    import pyarrow.parquet as pq

    try:
        texts = [name for name in TEXTS if name in pq.read_schema(path).names]
        with pq.ParquetFile(path, read_dictionary=texts) as file:
            groups = range(file.num_row_groups)
            if file.metadata.num_rows > most_rows or any(
                    file.metadata.row_group(number).total_byte_size > MOST_BYTES for number in groups):
                raise EvidenceError(f"{path}: larger than evidence in one file may be: not read")
            yield file
    except (pa.ArrowException, OSError, ValueError) as error:
        raise EvidenceError(f"{path}: no Parquet file that can be read ({' '.join(str(error).split())[:80]})") from None


def _all_sources(paths: Sequence[Path]) -> list[Path]:
    sources = [item for path in paths for item in _sources(path)]
    if not sources:
        raise EvidenceError(f"{', '.join(map(str, paths))}: nothing there is evidence; it comes as "
                            f"{', '.join(ENDINGS)} and as logbooks")
    return sources


def read_source(path: Path) -> Read:
    """The evidence in one file or logbook; what is wrong with it is a line. All of it passes one check, whatever it
    came as: what is kept once can be read again."""
    try:
        results = _unchecked(path)
        table, refused = vetted(results.table, str(path))
        return Read(table, (*results.refused, *refused))
    except Exception as error:  # whatever a stranger's file makes of a library: the others are read
        reason = " ".join(str(error).split())[:160] or type(error).__name__
        if not isinstance(error, KeenLatticeError | OSError):
            reason = f"it is not of the form of evidence ({reason})"
        return Read(schema().empty_table(), (reason if str(path) in reason else f"{path}: {reason}",))


def _unchecked(path: Path) -> Read:
    if path.is_dir():
        return _of_logbook(path)
    check_regular(path)
    if path.suffix == ".toml":
        return Read(flattened(claims_of_pack(read_pack(path))), ())
    if path.suffix == ".jsonl":
        return _of_lines(path)
    if path.suffix != ".parquet":
        raise EvidenceError(f"{path}: evidence comes as {', '.join(ENDINGS)} and as logbooks: not read")
    with _opened(path) as file:
        return Read(file.read(), ())


def as_file(records: Sequence[EvidenceRecord], ending: str) -> bytes:
    """Records as a file of that ending: `.parquet`, or `.jsonl`."""
    import pyarrow as pa
    import pyarrow.parquet as pq

    if ending != ".parquet":
        return "".join(f"{item.line()}\n" for item in records).encode()
    sink = pa.BufferOutputStream()
    pq.write_table(flattened(records), sink, compression="zstd")
    return bytes(sink.getvalue().to_pybytes())


def _sources(path: Path) -> Iterator[Path]:
    """The files and logbooks at a path, in an order that does not depend on the disk. Links are not followed."""
    if not path.exists():
        raise EvidenceError(f"{path} is not there")
    if path.is_file() or is_there(path):
        yield path
        return
    for count, (folder, folders, files) in enumerate(os.walk(path)):
        if count > MOST_FILES:
            raise EvidenceError(f"{path}: more than {MOST_FILES} folders")
        if is_there(Path(folder)):
            folders.clear()
            yield Path(folder)
            continue
        folders.sort()
        yield from (Path(folder, name) for name in sorted(files) if name.endswith(ENDINGS))


def _of_lines(path: Path) -> Read:
    """A file of records, one a line."""
    records, wrong = list[EvidenceRecord](), list[str]()
    with open_regular(path) as file:
        content = file.read(MOST_BYTES_OF_LINES + 1)
    if len(content) > MOST_BYTES_OF_LINES:
        raise EvidenceError(f"{path}: larger than {MOST_BYTES_OF_LINES // 1024**2} MiB: not read; so large a set comes "
                            "as Parquet")
    for number, line in enumerate(BytesIO(content), 1):
        if not line.strip():
            continue
        if len(wrong) == MOST_WRONG:
            raise EvidenceError(f"{path}: {MOST_WRONG} lines that are not records before line {number}: not read")
        try:
            records.append(_record(line))
        except ValueError as error:
            wrong.append(f"{path}, line {number}: {error}; left out")
    return Read(flattened(records), _few(wrong, f"{path}: {{}} more lines that are not records"))


def _record(line: bytes) -> EvidenceRecord:
    """The record in a line.

    Raises:
        ValueError: it is none; in one line.
    """
    from pydantic import ValidationError

    if len(line) > MOST_LINE:
        raise ValueError(f"longer than {MOST_LINE // 1024} kB, which no record is")
    try:
        parse_json(line)
        return _checked(EvidenceRecord.model_validate_json(line))
    except ValidationError as error:
        first = error.errors(include_url=False, include_input=False)[0]
        where = ".".join(str(part)[:40] for part in first["loc"]) or "(whole)"
        raise ValueError(f"{where}: {first['msg']}") from None
    except UnicodeDecodeError:
        raise ValueError("not text in UTF-8") from None
    except json.JSONDecodeError as error:
        raise ValueError(f"not JSON ({error.msg})") from None


def _checked(item: EvidenceRecord) -> EvidenceRecord:
    for results in item.found:
        if len({results.log_ratio is None, results.error is None, results.dof is None}) > 1:
            raise ValueError(f"found.{results.metric}: an effect is given without its error")
    return item


def claims_of_pack(pack: "Pack") -> Iterator[EvidenceRecord]:
    """What a pack's rules claim with evidence. It was picked for what it found, so it is shown and not counted."""
    for rule in pack.rule:
        change = tuple(Switch(setting=key, before=None, after=value) for key, value in sorted(
            {**dict.fromkeys(rule.unset), **rule.set_}.items()))
        for claim in rule.claim if 0 < len(change) <= MOST_SWITCHED else ():
            yield from _claimed(rule, change, claim)


def _claimed(rule: "Rule", change: tuple[Switch, ...], claim: "Claim") -> Iterator[EvidenceRecord]:
    for item in claim.evidence:
        numbers: dict[str, Any] = {"log_ratio": None, "error": None, "dof": None}
        yield EvidenceRecord(
            rig=digest("claimed", item.rig), study=digest("claimed", item.rig, item.seed, item.time), kind="trial",
            state="claimed", game=rule.game, change=change, software=item.software[:60], day="", facts={},
            limited_by={},
            found=(Found(metric=claim.metric, decides=True, blocks=item.blocks, matters_pct=claim.at_least_pct,
                         verdict="unclear", **numbers),),
            played=EvidencePlan(seconds=item.seconds, warm_up_s=0.0, planned=item.blocks, repeats=1, early=False,
                                seed=item.seed))


def _of_logbook(folder: Path) -> Read:
    """The evidence in a logbook, somebody else's or the player's own."""
    records, wrong = list[EvidenceRecord](), list[str]()
    with ReadBook(folder) as book:
        for study in book.studies():
            try:
                records += records_of(study, book.id or str(folder.resolve()), catalog(), {})
            except (KeenLatticeError, ValueError) as error:
                wrong.append(f"{folder}, study {study.number}: {' '.join(str(error).split())[:160]}; left out")
    return Read(flattened(records), _few(wrong, f"{folder}: {{}} more studies"))


def _few(lines: Sequence[str], rest: str, most: int = MOST_TOLD) -> tuple[str, ...]:
    more = len(lines) - most
    return (*lines[:most], *([f"{rest.format(more)}; left out"] if more > 0 else []))
