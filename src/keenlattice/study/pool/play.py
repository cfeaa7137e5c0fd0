"""Evidence is pooled, change by change, and kept with what it rests on."""

from collections.abc import Sequence
from concurrent.futures import Executor
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from keenlattice import _version
from keenlattice.errors import UsageError, way
from keenlattice.logbook.evidence import evidence_file, forget_evidence
from keenlattice.logbook.kept import Study, finish_study, start_study
from keenlattice.parallel import spread
from keenlattice.study.kind import Kind
from keenlattice.study.pool.columns import part
from keenlattice.study.pool.conclude import chunks_of, concluded
from keenlattice.study.pool.evidence import Switch, change_text
from keenlattice.study.pool.gather import Gathered, Group, gathered
from keenlattice.study.pool.reading import chosen, of_plan
from keenlattice.study.pool.result import TELLING, Pool, PooledChange, PooledMetric, PoolPlan, PoolSpec
from keenlattice.study.pool.tell import pool_figures, pool_page, tell_pool
from keenlattice.study.record import Provenance

if TYPE_CHECKING:
    import pyarrow as pa

    from keenlattice.logbook.book import Logbook
    from keenlattice.logbook.kept import Study


def pool_evidence(table: "pa.Table", plan: PoolPlan, refused: Sequence[str] = (), executor: Executor | None = None,
                  before: Pool | None = None) -> Pool:
    """What the evidence of many rigs says of each change.

    Args:
        table: the evidence, flat and vetted (`read_evidence`).
        plan: which of it, and what matters.
        refused: what was left out when it was read.
        executor: computes the changes; equal results to the last bit whatever it is.
        before: an earlier pool, from which the changes are taken over whose evidence is the same.

    Raises:
        UnknownName: the plan names a metric that there is not.
    """
    evidence = gathered(of_plan(table, plan.metrics, plan.game))
    earlier = _known(before, plan)
    open_ = [place for place, record in enumerate(evidence.groups) if record.digest not in earlier]
    made = [metric for results in spread(concluded, chunks_of(evidence, open_, plan.matters_pct), executor)
            for metric in results]
    by_digest = {**earlier, **{metric.digest: metric for metric in made}}
    metrics = [by_digest[group.digest] for group in evidence.groups]
    return Pool(plan, evidence.rig_count, evidence.studies, evidence.records, evidence.copies, evidence.claimed,
                evidence.odd, tuple(refused), _changes(evidence, metrics, plan))


def _known(before: Pool | None, plan: PoolPlan) -> dict[str, PooledMetric]:
    if before is None or before.plan.matters_pct != plan.matters_pct:
        return {}
    return {metric.digest: metric for change in before.changes for metric in change.metrics if metric.digest}


def _changes(evidence: Gathered, metrics: Sequence[PooledMetric], plan: PoolPlan) -> tuple[PooledChange, ...]:
    """The changes with what is known of each metric, the most helpful first."""
    by_change: dict[str, dict[str, PooledMetric]] = {}
    for group, metric in zip(evidence.groups, metrics, strict=True):
        by_change.setdefault(group.change, {})[group.metric] = metric
    for group in evidence.silent:
        by_change.setdefault(group.change, {})[group.metric] = _silent(group)
    form = part("change")
    changes = []
    for packed, by_metric in sorted(by_change.items()):
        change: tuple[Switch, ...] = form.validate_json(packed)
        changes.append(PooledChange(change, change_text(change), tuple(
            by_metric[name] for name in plan.metrics if name in by_metric)))
    return tuple(sorted(changes, key=
                        lambda change: (TELLING.index(change.telling.standing), -change.telling.gain_pct, change.name)))


def _silent(group: Group) -> PooledMetric:
    return PooledMetric(group.metric, 0, 0, group.silent, 0.0, None, None, None, 0.0, 0.0, 0.0, "not known", "")


def pooled_again(book: "Logbook", study: "Study") -> Pool:
    """A pool, computed again from the evidence that the logbook keeps of it."""
    before = Pool.of_json(study.result)
    table = chosen(evidence_of(book, study), before.plan.metrics, before.plan.game)
    return replace(pool_evidence(table, before.plan), refused=before.refused)


def _nothing_is_played(*_: object) -> Pool:
    raise UsageError(f"a pool plays nothing: {way('keen pool read', 'ws.pool.read(FOLDER)')}")


KIND = Kind("pool", PoolSpec, Pool, _nothing_is_played, again=pooled_again, tell=tell_pool, page=pool_page,
            figure=pool_figures)


def keep_pool(book: "Logbook", rig: str, result: Pool, name: str) -> Study:
    """Keeps a pool; the evidence of earlier pools is let go of.

    Args:
        name: of the file that has its evidence.

    Raises:
        BookError: it cannot be written.
    """
    with book.together():
        study = start_study(book, rig, "pool", PoolSpec(result.plan, name).to_json(), "", "")
        rests_on = Provenance(study.number, _version.__version__, [], study.time, {})
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
