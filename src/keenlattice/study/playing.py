"""Playing a study of any kind, or computing it again from its runs."""

from collections.abc import Mapping, Sequence

from keenlattice.measure.capture import Capture
from keenlattice.profile.version import Version
from keenlattice.rig.base import Rig, game_of
from keenlattice.rig.session import asked_between, session_of
from keenlattice.study.kind import AnyResult, AnySpec, Kind, game_for
from keenlattice.study.player import Each, Player, ignore


def play(rig: Rig, kind: Kind[AnySpec, AnyResult], spec: AnySpec, versions: Sequence[Version], on_run: Each = ignore,
         done: Mapping[int, Capture] | None = None,
         earlier: Mapping[int, Sequence[tuple[str, str]]] | None = None,
         doubts: Sequence[str] = ()) -> AnyResult:
    """Plays a study, or what is left of it. The rig is put back to what it was, whatever happens; one that is changed
    by hand stays as it is if its player pauses.

    Args:
        versions: those that it is about, in the order of `spec.versions`.
        on_run: is called with every run once it is done, for progress and for keeping captures; with one that went
            wrong, too, which is then played again.
        done: the runs that were played earlier, by their place: they are not played again.
        earlier: those that went wrong before, by their place: arm and reason of each.
        doubts: what speaks against the result before any run is looked at.

    Raises:
        UsageError: versions of two profiles, or of the rig-wide one without a game.
        Paused: of a rig that is changed by hand, if its player goes on later.
        UnknownName, BadValue: a setting, a value or a game that there is not.
        RigError: the rig refuses, or nothing can be recorded.
    """
    game = game_of(rig, game_for(versions, spec.game)).name
    why = f"{kind.name} of {spec.about}"
    with session_of(rig, why, asked=bool(asked_between(rig, versions))) as session:
        player = Player(rig, spec.owner, game, *spec.pace, on_run, done or {}, session, earlier=earlier or {},
                        doubts=list(doubts))
        result = kind.play(player, spec, versions)
        player.put_back()
    return result


def replay(rig: Rig, kind: Kind[AnySpec, AnyResult], spec: AnySpec, versions: Sequence[Version],
           done: Mapping[int, Capture], doubts: Sequence[str] = ()) -> AnyResult:
    """Computes a study again from its runs; nothing is played, and the rig is only asked what it knows.

    Args:
        spec, versions, done, doubts: as in `play`.

    Raises:
        RunMissing: it takes more runs than there are.
    """
    player = Player(rig, spec.owner, game_for(versions, spec.game), *spec.pace, done=done, doubts=list(doubts))
    return kind.play(player, spec, versions)
