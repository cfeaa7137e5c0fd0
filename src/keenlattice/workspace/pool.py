"""Evidence: what is written of the studies here, what is read of many rigs', and what a pool of it says of this one."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import field
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar

from keenlattice._door import check_methods
from keenlattice.catalog.values import Value, same
from keenlattice.errors import KeenLatticeError, UnknownName, UsageError, counted, way
from keenlattice.files import replace_file
from keenlattice.logbook.evidence import name_of, new_evidence, pooling
from keenlattice.logbook.kept import studies
from keenlattice.profile.compare import Change
from keenlattice.quickly import dataclass
from keenlattice.rig.player.pace import RESTARTS_MINUTES
from keenlattice.study.limits import DECIDES
from keenlattice.study.pool.words import told_beside
from keenlattice.study.record import result_of
from keenlattice.workspace._pages import finished_study
from keenlattice.workspace._play import minutes_a_step
from keenlattice.workspace.kept import kept_study
from keenlattice.workspace.opened import Opened, VersionLike
from keenlattice.workspace.packs import Packs
from keenlattice.workspace.result import NOT_IN_JSON, Result, Rows
from keenlattice.workspace.standing import Standing

if TYPE_CHECKING:
    from concurrent.futures import Executor

    from keenlattice.blocks import Telling
    from keenlattice.study.pool.order import Expected, ToTry
    from keenlattice.study.pool.result import Pool, PooledChange
    from keenlattice.workspace.played import Played


@dataclass(frozen=True, repr=False)
class EvidenceWritten(Result):
    """The evidence that was written.

    Args:
        file: where it is.
        records, studies: how many records there are, of how many studies.
        silent: how many of these found nothing, or are not finished.
        withheld: studies that are not in it, since they are about settings or values of the player's own.
    """

    SCHEMA: ClassVar[str] = "evidence-written"

    file: Path
    records: int
    studies: int
    silent: int
    withheld: int = 0

    def _caption(self) -> str:
        return f"{self.file}: {counted(self.records, 'record')} of {counted(self.studies, 'study', 'studies')}"


@dataclass(frozen=True)
class ChangeHere:
    """A change of a pool, and what is to be expected of it on this rig, for each metric."""

    change: "PooledChange"
    expected: "tuple[Expected, ...]"


@dataclass(frozen=True, repr=False)
class PoolLook(Result):
    """What a pool says, of all changes or of those of one setting, and what is to be expected here.

    Args:
        study: the pool's number in the logbook.
        pool: all of it.
        changes: those that were asked for.
        limited_by: what the frames of this rig wait for, as far as it was measured here.
    """

    SCHEMA: ClassVar[str] = "pool-look"

    study: int
    changes: tuple[ChangeHere, ...]
    limited_by: Mapping[str, float]
    pool: "Pool" = field(metadata=NOT_IN_JSON)

    def telling(self) -> "Telling":
        """Return what it says of all changes, in blocks that a terminal, a page and a notebook show their way."""
        from keenlattice.study.pool.tell import tell_pool_here
        from keenlattice.study.pool.words import expected_said

        return tell_pool_here(self.pool, self.study, {
            item.change.name: expected_said(item.expected, item.change.telling.metric) for item in self.changes})

    def _rows(self) -> Rows:
        return [{"change": item.change.name, "metric": metric.metric, "rigs": metric.rigs, "here_pct": metric.here.pct,
                 "here_low_pct": metric.here.low_pct, "here_high_pct": metric.here.high_pct}
                for item in self.changes for metric in item.expected]

    def _caption(self) -> str:
        return self.pool._caption()


@dataclass(frozen=True, repr=False)
class TryFirst(Result):
    """The order in which to try the changes between two versions."""

    SCHEMA: ClassVar[str] = "pool-order"

    before: str
    after: str
    study: int
    order: "tuple[ToTry, ...]"

    def _rows(self) -> Rows:
        return [{"change": " + ".join(change.key for change in item.change), "gain_pct": item.gain_pct,
                 "blocks": item.blocks, "minutes": item.minutes, "known": item.known} for item in self.order]

    def _caption(self) -> str:
        return f"{counted(len(self.order), 'change')}, by what each may gain for its time"


@check_methods
class EvidencePool:
    """What the evidence of many rigs says; the newest pool is the one that is meant."""

    def __init__(self, opened: Opened, packs: Packs) -> None:
        self._opened, self._packs, self._standing = opened, packs, Standing(opened)

    def write_evidence(self, file: Path | str) -> EvidenceWritten:
        """Writes the evidence of every trial and screen that was begun on this rig, whatever it found. It names no
        person: facts of the rig, what was changed, and what came of it.

        Args:
            file: .jsonl, a record a line, or .parquet.

        Raises:
            UsageError: another ending; or nothing was begun.
            KeenLatticeError: it cannot be written.
        """
        from keenlattice.study.pool.from_studies import is_evidence, records_of
        from keenlattice.study.pool.reading import as_file

        file = Path(file)
        if file.suffix not in (".jsonl", ".parquet"):
            raise UsageError(f"{file}: its name has to end in .jsonl or .parquet")
        catalog, facts = self._opened.rig.catalog(), dict(self._opened.rig.facts())
        book, begun = self._opened.book.id or str(self._opened.book.folder), [
            item for item in reversed(studies(self._opened.book, self._opened.rig_name)) if is_evidence(item)]
        lines = [[*records_of(item, book, catalog, facts)] for item in begun]
        results, withheld = [record for records in lines for record in records], sum(not records for records in lines)
        if not results:
            raise UsageError(f"no trial and no screen on {self._opened.rig_name} can be passed on" + (
                f": {withheld} are about settings or values of your own" if withheld else ": none was begun yet"))
        try:
            replace_file(file, as_file(results, file.suffix))
        except OSError as error:
            raise KeenLatticeError(f"cannot write {file}: {error.strerror}") from None
        silent = {item.study for item in results} - {item.study for item in results if any(
            verdict_of.verdict in ("better", "worse") for verdict_of in item.found)}
        return EvidenceWritten(file, len(results), len({item.study for item in results}), len(silent), withheld)

    def read(self, *sources: Path | str, add: bool = False, decides: str = "", matters_pct: float | None = None,
             game: str = "", executor: "Executor | None" = None) -> "Played[Pool]":
        """Pools evidence of many rigs, and keeps what comes of it. What is known of a change already is not computed
        again.

        Args:
            sources: files of evidence (.jsonl, .parquet), packs, logbooks, and folders of them.
            add: to the evidence of the newest pool.
            decides: the metrics that it is about; frame time and latency if none is named.
            matters_pct: the smallest difference that matters; what mattered to those who tried it, if not given.
            game: only evidence of this game.
            executor: reads and computes; equal results whatever it is.

        Raises:
            EvidenceError: nothing there is evidence.
            UsageError: there is no pool to add to.
            UnknownName: no such metric.
        """
        from keenlattice.study.pool.play import evidence_of, keep_pool, pool_evidence
        from keenlattice.study.pool.reading import chosen, collect_evidence
        from keenlattice.study.pool.result import PoolPlan

        self._opened.book.check_writable()
        newest = self._opened.newest_pool
        if add and newest is None:
            raise UsageError("there is no pool yet that could be added to: leave --add out")
        if not sources:
            raise UsageError("say where the evidence is: "
                             f"{way('keen pool read FOLDER', 'ws.pool.read(FOLDER)')}")
        earlier: Pool | None = kept_study(self._opened, newest).result if newest else None
        files = [*(earlier.plan.sources if add and earlier else ()),
                 *(Path(path).name or str(path) for path in sources)]
        plan = PoolPlan(tuple(dict.fromkeys(files)), decides or DECIDES, matters_pct, game)
        kept = [evidence_of(self._opened.book, newest)] if add and newest else []
        with pooling(self._opened.book):  # another would take this one's evidence for an earlier pool's, and remove it
            with new_evidence(self._opened.book) as file:
                lines = collect_evidence([*kept, *(Path(item) for item in sources)], file, executor)
                refused = (*(earlier.refused if add and earlier else ()), *lines)
                result = pool_evidence(chosen(file, plan.metrics, game), plan, refused, executor, earlier)
            return finished_study(
                self._opened, keep_pool(self._opened.book, self._opened.rig_name, result, name_of(file)).number)

    def look(self, setting: str = "", game: str = "") -> PoolLook:
        """What the newest pool says, and what is to be expected on this rig.

        Args:
            setting: only changes that switch it.
            game: that is played; what its frames wait for is taken from the newest trial or screen of it.

        Raises:
            UsageError: there is no pool yet.
            UnknownName: it knows nothing of that setting.
        """
        newest = self._newest_pool()
        results, limits = newest.result, self._limits(game)
        chosen = [item for item in results.changes if not setting or setting in item.settings]
        if setting and not chosen:
            keys = [key for change in results.changes for key in change.settings]
            raise UnknownName("setting in the pool", setting, keys)
        expected = self._expecting(limits)
        return PoolLook(newest.number, tuple(ChangeHere(item, expected(item)) for item in chosen), limits, results)

    def order(self, before: VersionLike, after: VersionLike, game: str = "", *, seconds: float = 30.0,
                  matters_pct: float = 1.0) -> TryFirst:
        """The order in which to try the changes between two versions: that first of which most is to be expected for
        each hour here. It plans; what a trial then says rests on its own runs alone.

        Args:
            before: the version to start from.
            after: the version that has all changes; or a pack (.toml) on top of `before`.
            game: that is played, for versions of the whole rig.
            seconds: length of a run.
            matters_pct: the smallest difference that matters.

        Raises:
            UsageError: there is no pool yet, or the two set the same.
        """
        from keenlattice.study.pool.from_studies import above_stock
        from keenlattice.study.pool.order import Pace, in_order

        first, last = self._opened.find(before), self._second(before, after)
        differing = above_stock(first.entries, last.entries, self._opened.rig.catalog())
        if not differing:
            raise UsageError(f"{first.reference} and {last.reference} set the same: there is nothing to try")
        newest = self._newest_pool()
        pace = Pace(seconds, {item.key: self._switch_minutes(item.key) for item in differing}, matters_pct)
        order = in_order(newest.result, differing, dict(self._opened.rig.facts()),
                         self._limits(game or (first.profile if first.profile != "rig" else "")), pace)
        return TryFirst(first.reference, last.reference, newest.number, order)

    def _second(self, before: VersionLike, after: VersionLike) -> Any:
        """The version with all changes; of a pack, that with its rules that fit here."""
        if isinstance(after, str) and after.endswith(".toml"):
            from keenlattice.profile.offers import offer
            from keenlattice.profile.pack import read_pack

            pack, first = read_pack(Path(after)), self._opened.find(before)
            fitting = [item for item in offer(pack, self._standing.here())
                       if not item.fails and item.rule.game == first.profile]
            return self._packs.with_rules_of(fitting, first, f"from the pack {pack.title}")
        return self._opened.find(after)

    def _switch_minutes(self, key: str) -> float:
        from keenlattice.rig.applying import restart_for

        own = minutes_a_step(self._opened, None) if self._opened.by_hand else 0.0
        return own + RESTARTS_MINUTES[restart_for(self._opened.rig, [key])]

    def about(self, entries: Mapping[str, Value], game: str = "") -> dict[str, str]:
        """What the newest pool says of some settings at some values, in words; of those that it knows, if there is one.

        Args:
            entries: setting to value.
            game: that is played.
        """
        there = self._pool_there
        if there is None:
            return {}
        from keenlattice.study.pool.order import matching

        return self._beside({key: results for key, value in entries.items() if (
            results := matching(there.result, Change(key, None, value)))}, game)

    def about_fixing(self, settings: Sequence[str]) -> dict[str, str]:
        """What the newest pool says of changing some settings from what they are at, in words; of those that it knows.

        Args:
            settings: by name.
        """
        there = self._pool_there
        if there is None:
            return {}
        held = self._standing.effective("rig@now")
        by_setting = {item.change[0].setting: item for item in reversed(there.result.changes)
                      if len(item.change) == 1 and item.change[0].setting in settings and item.change[0].setting in held
                      and same(item.change[0].before, held[item.change[0].setting].value)}
        return {by_setting[key].name: lines for key, lines in self._beside(by_setting, "").items()}

    @property
    def _pool_there(self) -> "Played[Pool] | None":
        """The newest pool, if there is one."""
        newest = self._opened.newest_pool
        return None if newest is None else kept_study(self._opened, newest)

    def _beside(self, changes: "Mapping[str, PooledChange]", game: str) -> dict[str, str]:
        if not changes:
            return {}
        expected = self._expecting(self._limits(game))
        return {key: told_beside(item, expected(item)) for key, item in changes.items()}

    def _newest_pool(self) -> "Played[Pool]":
        there = self._pool_there
        if there is None:
            raise UsageError(f"there is no pool yet: {way('keen pool read FOLDER', 'ws.pool.read(FOLDER)')}")
        return there

    def _expecting(self, limits: Mapping[str, float]) -> "Callable[[PooledChange], tuple[Expected, ...]]":
        """What tells what is to be expected of a change here; the rig is asked for its facts once."""
        from keenlattice.study.pool.order import expected_of

        facts = dict(self._opened.rig.facts())
        return lambda change: expected_of(change, facts, limits)

    def _limits(self, game: str) -> Mapping[str, float]:
        """What the frames wait for on this rig, by the newest trial or screen that says so; empty if none does."""
        for kind in ("trial", "screen"):
            for result in map(result_of, studies(self._opened.book, self._opened.rig_name, kind, finished=True)):
                if game in ("", result.game) and result.limited_by:
                    return dict(result.limited_by.get("before", {}) if kind == "trial" else result.limited_by)
        return {}
