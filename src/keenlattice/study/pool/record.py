"""A pool in the logbook: kept with the evidence that it rests on."""

from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice._version import __version__
from keenlattice.logbook._evidence import evidence_file, forget_evidence
from keenlattice.logbook._studies import Study, finish_study, start_study
from keenlattice.study.pool.plan import PoolSpec
from keenlattice.study.pool.result import Pool
from keenlattice.study.record import Provenance

if TYPE_CHECKING:
    from keenlattice.logbook.book import Logbook


def keep_pool(book: "Logbook", rig: str, result: Pool, name: str) -> Study:
    """Keeps a pool; the evidence of earlier pools is let go of.

    Args:
        name: of the file that has its evidence.

    Raises:
        BookError: it cannot be written.
    """
    with book.together():
        study = start_study(book, rig, "pool", PoolSpec(result.plan, name).to_json(), "", "")
        rests_on = Provenance(study.number, __version__, [], study.time, {})
        finish_study(book, study, {**result.to_json(), "evidence": rests_on.to_json()})
    forget_evidence(book, name)
    return study


def evidence_of(book: "Logbook", study: Study) -> Path:
    """The file of the evidence that a pool rests on.

    Raises:
        BookError: it is gone.
    """
    spec: PoolSpec = PoolSpec.of_json(study.plan)
    return evidence_file(book, spec.evidence)
