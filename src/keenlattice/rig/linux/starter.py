"""Starting a game for its player on this machine, or taking the one that runs, with what is held for it."""

import os
import subprocess
from collections.abc import Iterator, Mapping, Sequence
from contextlib import closing, contextmanager
from dataclasses import replace
from functools import partial
from pathlib import Path

from keenlattice.errors import KeenLatticeError
from keenlattice.quickly import dataclass
from keenlattice.rig.held import HeldPart
from keenlattice.rig.linux.launch import Start, start_of
from keenlattice.rig.linux.program import running
from keenlattice.rig.linux.sampler import sources
from keenlattice.rig.under_way import Readings, StartedGame, Stretches, is_launcher, not_known_how, not_started

WINDOW_WITHIN_S = 1.0
NOTED = ("frame_ms_mean", "frame_ms_p99")


@dataclass(frozen=True)
class LinuxStarter:
    """Starts games.

    Args:
        part: what is held for them.
        gpus: the GPUs by name, each with its bus address.
    """

    part: HeldPart
    gpus: Mapping[str, str]

    def start_of(self, name: str) -> Start:
        """Return how a game is started, by what is held for it now."""
        return start_of(self.part.held_for(name), self.gpus)

    def runs(self, executables: Sequence[str]) -> bool:
        """Return whether one of these runs now."""
        return running(executables) is not None

    @contextmanager
    def under_way(self, name: str, executables: Sequence[str], command: Sequence[str],
                  folder: Path | None = None) -> Iterator[StartedGame]:
        """Start a game with what is held for it; without a command, take the one that runs, and treat its process so.

        Raises:
            RigError: it cannot be started, or does not run and nobody has said how it is started.
        """
        begin = replace(self.start_of(name), folder=folder)
        if not command:
            if (program := running(executables)) is None:
                raise not_known_how(name)
            with begin.while_it_runs(program.processes):
                yield StartedGame(None, lambda: self.runs(executables), readings=_readings(),
                                  stretches=_stretches(executables))
            return
        try:
            process = subprocess.Popen(begin.command(command), preexec_fn=begin.before_it_runs,
                                       env={**os.environ, **begin.environment}, cwd=begin.folder)
        except subprocess.SubprocessError:
            raise begin.refused(name) from None
        except OSError as error:
            raise not_started(name, command, error) from None
        yield StartedGame(process.poll, lambda: self.runs(executables), is_launcher(command, executables),
                          readings=_readings(), stretches=_stretches(executables))


def _readings() -> Readings:
    read = sources(Path("/"), [])
    return Readings(lambda: {name: value for source in read for name, value in source().items()})


def _stretches(executables: Sequence[str]) -> Stretches | None:
    """Frames by the X server's word: that costs a game little, where a Wayland compositor would copy each frame."""
    display = os.environ.get("DISPLAY")
    return Stretches(partial(_stretch, executables, display)) if display else None


def _stretch(executables: Sequence[str], display: str, seconds: float) -> Mapping[str, float]:
    from keenlattice.measure.metrics import metrics_of

    game = running(executables)
    if game is None:
        return {}
    try:
        from keenlattice.rig.linux.x11.probe import Probe  # needs a package that playing does not
        from keenlattice.rig.linux.x11.windows import still_there

        with still_there(), closing(Probe(display)) as probe:
            window = probe.find(game.processes, WINDOW_WITHIN_S, game.alive)
            return metrics_of(probe.record(window, seconds, 0, None, game.alive), NOTED)
    except (KeenLatticeError, ImportError):
        return {}  # covered, loading, gone, or not to be recorded here
