"""How a game's process is treated, and what it is started with: kept in the rig's own folder, and in force whenever a
game is started or measured from here, and nowhere else.

Priority, cores and scheduling are the kernel's, for every thread of a process; the environment is the driver stack's
own public variables. A process that runs already is given what is set while it is measured, and has its own back after.
"""

import ctypes
import os
import platform
import resource
import shlex
import shutil
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import field
from pathlib import Path
from typing import Any

from keenlattice.catalog.load import catalog
from keenlattice.catalog.model import Kind, Setting
from keenlattice.catalog.values import GAME_DECIDES, Value
from keenlattice.errors import RefusedByRig
from keenlattice.profile.version import Entries
from keenlattice.quickly import dataclass
from keenlattice.rig import environment
from keenlattice.rig.linux.cores import ALL, cores_of

NICE = {"lowered": 5, "normal": 0, "raised": -5, "high": -10}
POLICIES = {"normal": os.SCHED_OTHER, "batch": os.SCHED_BATCH, "idle": os.SCHED_IDLE, "round-robin": os.SCHED_RR,
            "fifo": os.SCHED_FIFO}
REAL_TIME = {"round-robin", "fifo"}
IO_CLASS_SHIFT, BEST_EFFORT = 13, 2
IO = {"low": (BEST_EFFORT << IO_CLASS_SHIFT) | 7, "normal": 0, "high": BEST_EFFORT << IO_CLASS_SHIFT}
IOPRIO_SET = {"x86_64": 251, "aarch64": 30}
PRESENT = {"immediate": "immediate", "mailbox": "mailbox", "fifo": "fifo", "fifo-relaxed": "relaxed"}
BY_DRIVER = "by-driver"
WEIGHT, IN_A_GROUP = "process.weight", ("systemd-run", "--user", "--scope", "--quiet", "--collect")
OF_PROCESS = ("process.priority", "process.io-priority", "process.affinity", "process.policy")


def settings(gpus: Mapping[str, str]) -> list[Setting]:
    """What can be set of a game's process and start.

    Args:
        gpus: the GPUs by name, each with its bus address.
    """
    settings_here = {name: catalog()[name] for name in ("process.priority", "process.io-priority", "process.affinity",
                                                        "game.launch-options")}
    for name in ("shader.cache-size", "shader.cache-location"):
        settings_here[name] = catalog()[name].adapted(scope="game", restart="game")
    settings_here["process.priority"] = settings_here["process.priority"].adapted(choices=tuple(NICE))
    result = [*settings_here.values(), environment.setting(),
              _own("process.policy", "Scheduling policy of the game", "choice", "normal", choices=tuple(POLICIES),
                   trades="A real-time policy lets the game go before all else: a game that waits busily then stops "
                          "the machine."),
              _own("driver.vulkan-present", "Present mode of a Vulkan game", "choice", GAME_DECIDES,
                   choices=tuple(PRESENT), game_may_decide=True,
                   trades="How finished frames reach the screen: immediate may tear, mailbox shows the newest, fifo "
                         "shows all and waits."),
              _own("driver.raster-threads", "Threads that draw where no GPU does", "whole", 0, low=0, high=64,
                   trades="More threads draw sooner, and leave fewer cores to the game; 0 leaves it to the driver.")]
    if _manager_is_there():
        result.append(_own(WEIGHT, "Weight of the game among your programs", "whole", 100, low=1, high=10_000,
                           inert="The game runs already when it is measured.",
                           trades="Where your programs want more of the processor than there is, a game of twice the "
                                  "weight gets twice the time; with cores to spare it does nothing."))
    if len(gpus) > 1:
        device = catalog()["gpu.render-device"]
        result.append(device.adapted(choices=("by-system", *gpus)))
    return result


def _manager_is_there() -> bool:
    """Return whether the user's manager of services runs: it makes the groups that weights belong to."""
    runtime = os.environ.get("XDG_RUNTIME_DIR", "")
    return bool(runtime and shutil.which(IN_A_GROUP[0])) and (Path(runtime) / "systemd/private").exists()


def _own(name: str, title: str, kind: Kind, stock: Value, **more: Any) -> Setting:
    own: dict[str, Any] = {"scope": "game", "restart": "game", "moves": {"frame-tail": "either"}, "sure": "disputed",
                           "advice": "Measure it: it helps one game and hurts another.", **more}
    return Setting(name=name, title=title, kind=kind, stock=stock, **own)


@dataclass(frozen=True)
class Start:
    """How a game is started: its process's treatment, variables, words behind its command.

    Args:
        treatment: what of OF_PROCESS is set.
        environment: variables, by name.
        words: for the end of the command.
        weight: of the group that it runs in, by the user's manager of services; 0 to leave that.
        folder: where its command is started; None for where we are.
    """

    treatment: Entries = field(default_factory=dict)
    environment: Mapping[str, str] = field(default_factory=dict)
    words: tuple[str, ...] = ()
    weight: int = 0
    folder: Path | None = None

    def command(self, command: Sequence[str]) -> list[str]:
        """Return the whole command that starts the game.

        Args:
            command: the game's own.
        """
        program = shutil.which(command[0])  # without it, the system's own message names what is missing
        ahead = [*IN_A_GROUP, f"--property=CPUWeight={self.weight}", "--"] if self.weight and program else []
        return [*ahead, *command, *self.words]

    def refused(self, game: str) -> RefusedByRig:
        """Return the error of a game that cannot be started so."""
        return RefusedByRig(f"{game} cannot be started as it is set to be: it takes rights that are not there for its "
                            f"{', '.join(self.treatment)}")

    def before_it_runs(self) -> None:
        """Treats this process so; what it becomes, and all that it starts, inherits that.

        Raises:
            OSError: no rights.
        """
        for treat in _treatments(self.treatment):
            treat(0)

    @contextmanager
    def while_it_runs(self, processes: Callable[[], set[int]]) -> Iterator[None]:
        """Treats every thread of processes that run so, and gives them back what they had.

        Raises:
            RefusedByRig: no rights.
        """
        if not self.treatment:
            yield
            return
        before = {thread: _held(thread) for pid in processes() for thread in _threads(pid)}
        try:
            self._treat(before)
            yield
        finally:
            for thread, (nice, cores, policy, priority) in before.items():
                with suppress(OSError):
                    os.sched_setscheduler(thread, policy, os.sched_param(priority))
                    os.setpriority(os.PRIO_PROCESS, thread, nice)
                    os.sched_setaffinity(thread, cores)

    def _treat(self, threads: Iterable[int]) -> None:
        try:
            for thread in threads:
                for treat in _treatments(self.treatment):
                    with suppress(ProcessLookupError):
                        treat(thread)
        except PermissionError as error:
            raise RefusedByRig(f"the game's process belongs to another user, or this needs root: {error.strerror}"
                               ) from None


def _held(thread: int) -> tuple[int, set[int], int, int]:
    try:
        return (os.getpriority(os.PRIO_PROCESS, thread), os.sched_getaffinity(thread), os.sched_getscheduler(thread),
                os.sched_getparam(thread).sched_priority)
    except ProcessLookupError:
        return 0, {0}, os.SCHED_OTHER, 0


def _threads(pid: int) -> list[int]:
    try:
        return [int(name) for name in os.listdir(f"/proc/{pid}/task")]
    except OSError:
        return []


def _treatments(wanted: Entries) -> list[Callable[[int], None]]:
    """What is to be done with a thread, or with ourselves (0)."""
    result: list[Callable[[int], None]] = []
    if (policy := str(wanted.get("process.policy", "normal"))) != "normal":
        real = policy in REAL_TIME
        result.append(lambda thread: os.sched_setscheduler(thread, POLICIES[policy], os.sched_param(int(real))))
    if (priority := str(wanted.get("process.priority", "normal"))) in NICE and "process.priority" in wanted:
        result.append(lambda thread: os.setpriority(os.PRIO_PROCESS, thread, NICE[priority]))
    if (cores := cores_of(str(wanted.get("process.affinity", ALL)))) is not None:
        result.append(lambda thread: os.sched_setaffinity(thread, cores))
    if "process.io-priority" in wanted:
        value = IO[str(wanted["process.io-priority"])]
        result.append(lambda thread: _set_io_priority(thread, value))
    return result


def _set_io_priority(thread: int, value: int) -> None:
    libc = ctypes.CDLL(None, use_errno=True)
    if libc.syscall(IOPRIO_SET[platform.machine()], 1, thread, value):
        raise OSError(ctypes.get_errno(), os.strerror(ctypes.get_errno()))


def check(key: str, value: Value) -> None:
    """Check whether a value can be held on this machine.

    Raises:
        RefusedByRig: it takes rights that are not there, or cores that are not.
    """
    if key == "process.affinity":
        cores_of(str(value))
    if key == "process.io-priority" and platform.machine() not in IOPRIO_SET:
        raise RefusedByRig(f"{key}: not known how on {platform.machine()}")
    if key == "process.priority" and NICE[str(value)] < 0 and not _may_be_nicer(NICE[str(value)]):
        raise RefusedByRig(f"{key}: {value} needs root, or a limit that allows it: by hand, a line of "
                           f"/etc/security/limits.d/: USER - nice {NICE[str(value)]}, then log in again")
    if key == "process.policy" and str(value) in REAL_TIME and os.geteuid() and not resource.getrlimit(
            resource.RLIMIT_RTPRIO)[0]:
        raise RefusedByRig(f"{key}: {value} needs root, or a limit that allows it: by hand, a line of "
                           "/etc/security/limits.d/: USER - rtprio 1, then log in again")
    if key == "shader.cache-location" and value != BY_DRIVER and not _is_own_folder(str(value)):
        raise RefusedByRig(f"{key}: {value} is not a folder of yours; name one from / on that is there, or {BY_DRIVER}")
    if key == "game.launch-options":
        _words(str(value))
    if key == environment.KEY:
        environment.variables_of(str(value))


def start_of(held: Entries, gpus: Mapping[str, str]) -> Start:
    """How a game is started with what is held for it.

    Args:
        gpus: the GPUs by name, each with its bus address.
    """
    variables: dict[str, str] = {}
    if (mode := str(held.get("driver.vulkan-present", ""))) in PRESENT:
        variables["MESA_VK_WSI_PRESENT_MODE"] = PRESENT[mode]
    if threads := held.get("driver.raster-threads"):
        variables["LP_NUM_THREADS"] = str(threads)
    if "shader.cache-size" in held:
        variables["MESA_SHADER_CACHE_MAX_SIZE"] = f"{held['shader.cache-size']}M"
    if (folder := str(held.get("shader.cache-location", BY_DRIVER))) != BY_DRIVER:
        variables["MESA_SHADER_CACHE_DIR"] = folder
    if (gpu := str(held.get("gpu.render-device", ""))) in gpus:
        variables["DRI_PRIME"] = f"pci-{gpus[gpu].replace(':', '_').replace('.', '_')}"
    options = str(held.get("game.launch-options", "none"))
    variables |= environment.variables_of(str(held.get(environment.KEY, environment.NONE)))
    return Start({key: held[key] for key in OF_PROCESS if key in held}, variables,
                 () if options == "none" else _words(options), int(held.get(WEIGHT, 0)))


def _words(text: str) -> tuple[str, ...]:
    try:
        return tuple(shlex.split(text))
    except ValueError as error:
        raise RefusedByRig(f"game.launch-options: {text!r} cannot be cut into words: {error}") from None


def _is_own_folder(path: str) -> bool:
    """Whether the game's driver, which runs as the player, may fill a folder: others' profiles name folders, too."""
    return os.path.isabs(path) and os.path.isdir(path) and os.stat(path).st_uid == os.geteuid()


def _may_be_nicer(nice: int) -> bool:
    return os.geteuid() == 0 or 20 - resource.getrlimit(resource.RLIMIT_NICE)[0] <= nice
