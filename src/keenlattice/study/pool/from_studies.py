"""Evidence records of the studies that a logbook, or a result, holds: of all that were begun."""

import re
from collections.abc import Iterator, Mapping, Sequence
from math import isfinite, log1p
from typing import Any

from keenlattice import _version
from keenlattice.catalog.load import catalog as shipped
from keenlattice.catalog.model import Catalog
from keenlattice.catalog.values import Value
from keenlattice.errors import BadValue, KeenLatticeError
from keenlattice.logbook.kept import Study
from keenlattice.measure.metrics import METRICS
from keenlattice.profile.compare import Change, changes
from keenlattice.profile.version import Entries, own_key, owners
from keenlattice.rig.factnames import FACTS
from keenlattice.study.kind import SpecOfTwo
from keenlattice.study.pool.evidence import FARTHEST, EvidencePlan, EvidenceRecord, Found, State, Switch, digest
from keenlattice.study.record import provenance_of, result_of, spec_of
from keenlattice.study.screen.plan import ScreenSpec
from keenlattice.study.screen.result import Effect, Screen
from keenlattice.study.trial.plan import TrialPlan, TrialSpec
from keenlattice.study.trial.result import MetricResult, Trial

KINDS = ("trial", "screen")
SYSTEM = re.compile(r"(Linux|Windows|Darwin|Marl) ?(\d{1,3})?")
"""All that is kept of a fact that is text: the system's name and its first number. Names of hardware are typed in by
some players, and a kernel's version may hold the name of the machine that it was built on."""
DEVICE = re.compile(r"[a-z]{2,8}\d{0,2}")
LONGEST = 60
WORDS = {"does nothing that matters": "no difference that matters", "unclear": "unclear"}

def records_of(study: Study, book: str, catalog: Catalog, facts: Mapping[str, object]) -> Iterator[EvidenceRecord]:
    """The records of a study that the logbook keeps: none of a version against itself, nor of another kind.

    Args:
        book: the id of the logbook, from which that of the rig is made.
        catalog: what a setting is at where nothing sets it.
        facts: the rig's as they are now, for a study that lacks its own since it is not finished.
    """
    if not is_evidence(study):
        return
    spec, rig = spec_of(study), digest("rig", book, study.rig)
    assert isinstance(spec, TrialSpec | ScreenSpec)
    result = None if study.result is None else result_of(study)
    about = provenance_of(study)
    yield from records(spec, result, rig, digest("study", book, study.rig, study.number), catalog,
                       about.facts or facts, about.software or _version.__version__, study.time[:10])


def is_evidence(study: Study) -> bool:
    """Whether a study is of a kind that evidence is written of: a trial or a screen that switches something; but for
    one of recordings that were there before, since nobody has said of which machine they are."""
    if study.kind not in KINDS:
        return False
    spec = spec_of(study)
    assert isinstance(spec, SpecOfTwo)
    recorded_before = isinstance(spec, TrialSpec) and spec.plan.order
    return not recorded_before and bool(changes(spec.before.entries, spec.after.entries))


def records(spec: TrialSpec | ScreenSpec, result: Trial | Screen | None, rig: str, study: str, catalog: Catalog,
            facts: Mapping[str, object], software: str = "", day: str = "") -> Iterator[EvidenceRecord]:
    """The records of one study: of a trial one, of a screen one for each of its changes.

    Args:
        spec: what was planned.
        result: what came out; None if it is not finished.
        rig, study: their hashes.
        catalog, facts, software, day: as in `records_of`.
    """
    limited_by = (result.limited_by.get("before", {}) if isinstance(result, Trial) else
                  result.limited_by if result else {})
    state: State = "not finished" if result is None else "finished"
    for keys, results in _found(spec, result):
        switched = _switched(spec, keys, catalog)
        if switched and results and all(_is_closed(item, catalog) for item in switched):
            yield EvidenceRecord(
                rig=rig, study=study, kind=spec_kind(spec), state=state,
                game=spec.game or owners(spec.owner)[0], change=switched,
                found=results, played=_played(spec), day=day, facts=_told(facts),
                software=(software or _version.__version__)[:LONGEST],
                limited_by={str(name)[:LONGEST]: float(round(share)) for name, share in limited_by.items()})


def _is_closed(switch: Switch, catalog: Catalog) -> bool:
    """Whether a switch holds nothing of a player's own: a setting of our catalog, at values that it names.

    A value of a game's own file may be a name or a folder; the names of services and programs tell who uses them.
    """
    name, at, device = switch.setting.partition("@")
    if name not in shipped() or name not in catalog or catalog[name].kind == "text" or (
            at and not DEVICE.fullmatch(device)):
        return False
    try:
        for value in (switch.before, switch.after):
            if value is not None:
                catalog[name].checked(value)  # numbers, formulas of facts, and words of the catalog's own
    except BadValue:
        return False
    return True


def spec_kind(spec: TrialSpec | ScreenSpec) -> Any:
    """What kind of study a plan is of."""
    return "trial" if isinstance(spec, TrialSpec) else "screen"


def _found(spec: TrialSpec | ScreenSpec, result: Trial | Screen | None
           ) -> Iterator[tuple[Sequence[str] | None, tuple[Found, ...]]]:
    """Of each change: its settings (None for all that differ), and what was found of each metric."""
    deciders = spec.plan.deciders
    if isinstance(result, Trial):
        yield None, tuple(_of_metric(item, item.name in deciders) for item in result.metrics)
    elif isinstance(result, Screen):
        for factor in result.factors:
            effects = {item.metric: item for item in (*factor.others, *factor.judged)}
            yield factor.settings, tuple(_of_effect(item, item in factor.judged, result.runs)
                                         for item in effects.values())
    else:
        nothing = tuple(Found(metric=name, decides=True, log_ratio=None, error=None, dof=None, blocks=0,
                              matters_pct=spec.plan.decides.matters_pct, verdict="unclear") for name in deciders)
        for keys in spec.plan.factors if isinstance(spec, ScreenSpec) else (None,):
            yield keys, nothing


def _of_metric(item: MetricResult, decides: bool) -> Found:
    return _numbers(item.name, decides, item.change_pct, item.error, item.dof, item.n, item.matters_pct, item.verdict)


def _of_effect(item: Effect, decides: bool, runs: int) -> Found:
    word = WORDS.get(item.standing, item.standing)
    if word not in ("better", "worse", "no difference that matters", "unclear"):  # held against a claim
        word = "better" if ((item.change_pct or 0.0) < 0) == METRICS[item.metric].lower_is_better else "worse"
    return _numbers(item.metric, decides, item.change_pct, item.error, item.dof, runs, item.matters_pct, word)


def _numbers(name: str, decides: bool, change_pct: float | None, error: float | None, dof: float | None, blocks: int,
             matters_pct: float, word: Any) -> Found:
    """What a record can hold of it: an effect beyond all bounds, or whose error is not known, is none."""
    usable = change_pct is not None and error is not None and dof is not None and change_pct > -100
    ratio = log1p(change_pct / 100) if usable and change_pct is not None and isfinite(change_pct) else None
    if ratio is None or not error or abs(ratio) > FARTHEST or not 1e-9 < error <= FARTHEST or not dof or dof < 1:
        return Found(metric=name, decides=decides, log_ratio=None, error=None, dof=None, blocks=blocks,
                     matters_pct=matters_pct, verdict="unclear")
    return Found(metric=name, decides=decides, log_ratio=ratio, error=error, dof=float(dof), blocks=blocks,
                 matters_pct=matters_pct, verdict=word)


def _switched(spec: SpecOfTwo, keys: Sequence[str] | None, catalog: Catalog) -> tuple[Switch, ...]:
    """The settings of a change, each with what it was and is: as it was set, else at stock. None of a change of a
    rig-wide setting that the game's own part sets, too: that one hides it, and a record could not tell the two apart.
    """
    differing = [item for item in above_stock(spec.before.entries, spec.after.entries, catalog)
                 if (keys is None or item.key in keys) and (item.before is None or item.before != item.after)]
    games_own = {*spec.before.entries, *spec.after.entries}
    if any(item.key != own_key(item.key) and own_key(item.key) in games_own for item in differing):
        return ()
    try:
        return tuple(Switch(setting=own_key(item.key), before=item.before, after=item.after) for item in differing)
    except ValueError as error:
        raise KeenLatticeError(f"a change of {spec.about} cannot be told as evidence: {error}") from None


def above_stock(before: Entries, after: Entries, catalog: Catalog) -> list[Change]:
    """What differs, with what a catalog has for stock where nothing is set; None where it does not know the setting."""
    def at(key: str, value: Value | None) -> Value | None:
        return catalog[key].stock if value is None and key in catalog else value

    return [Change(item.key, at(item.key, item.before), at(item.key, item.after)) for item in changes(before, after)]


def _played(spec: TrialSpec | ScreenSpec) -> EvidencePlan:
    plan = spec.plan
    planned, early = (plan.blocks, plan.early) if isinstance(plan, TrialPlan) else (plan.rounds, True)
    return EvidencePlan(seconds=float(plan.seconds), warm_up_s=float(plan.warm_up_s), planned=planned,
                        repeats=plan.repeats, early=early, seed=plan.seed)


def _told(facts: Mapping[str, object]) -> dict[str, Any]:
    """The facts that a record tells: numbers, yes and no, and which system it is."""
    results: dict[str, Any] = {}
    for name, value in facts.items():
        kind = FACTS.get(name, ("", ""))[0]
        if kind == "yes or no" and isinstance(value, bool):
            results[name] = value
        elif kind == "number" and isinstance(value, int | float) and not isinstance(value, bool):
            results[name] = float(value)
        elif name == "os" and isinstance(value, str) and (system := SYSTEM.match(value)):
            results[name] = system[0]
    return results
