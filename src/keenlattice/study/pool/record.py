"""A pool in the logbook: kept with the evidence that it rests on, and found again."""

from typing import TYPE_CHECKING

from keenlattice._version import __version__
from keenlattice.errors import UsageError
from keenlattice.logbook._evidence import evidence_file, forget_evidence, keep_evidence
from keenlattice.logbook._studies import Study, finish_study, start_study, studies
from keenlattice.study.pool.plan import PoolSpec
from keenlattice.study.pool.reading import read_source
from keenlattice.study.pool.result import Pool
from keenlattice.study.record import Provenance

if TYPE_CHECKING:
    import pyarrow as pa

    from keenlattice.logbook.book import Logbook


def keep_pool(book: "Logbook", rig: str, result: Pool, table: "pa.Table") -> Study:
    """Keeps a pool and its evidence; that of earlier pools is let go of.

    Raises:
        BookError: it cannot be written.
    """
    import pyarrow as pa
    import pyarrow.parquet as pq

    sink = pa.BufferOutputStream()
    pq.write_table(table, sink, compression="zstd")
    name = keep_evidence(book, sink.getvalue().to_pybytes())
    with book.together():
        study = start_study(book, rig, "pool", PoolSpec(result.plan, name).to_json(), "", "")
        rests_on = Provenance(study.number, __version__, [], study.time, {})
        finish_study(book, study, {**result.to_json(), "evidence": rests_on.to_json()})
    forget_evidence(book, name)
    return study


def newest_pool(book: "Logbook", rig: str) -> Study | None:
    """The newest pool of a rig; None if there is none."""
    return next((one for one in studies(book, rig) if one.kind == "pool" and one.result is not None), None)


def evidence_of(book: "Logbook", study: Study) -> "pa.Table":
    """The evidence that a pool rests on.

    Raises:
        BookError: it is gone, or damaged.
    """
    spec: PoolSpec = PoolSpec.of_json(study.plan)
    found = read_source(evidence_file(book, spec.evidence))
    if found.refused:
        raise UsageError(found.refused[0])
    return found.table
