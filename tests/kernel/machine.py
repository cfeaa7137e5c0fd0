"""A machine in qemu with a real kernel: started, asked to run code, frozen, thawed, and cut off."""

import json
import os
import shutil
import socket
import subprocess
import time
from pathlib import Path
from typing import Any

from keenlattice import __version__

HERE, SOURCE = Path(__file__).parent, Path(__file__).parents[2] / "src"
BUILT = Path(__file__).parents[2] / "build" / "kernel"
# Only with such a processor does the kernel take the clocks that the firmware describes.
PROCESSOR = "max,vendor=GenuineIntel,family=6"
BOOTS_WITHIN_S, ANSWERS_WITHIN_S = 400.0, 400.0
DEVICES = ("e1000e,netdev=n0", "virtio-net-pci,netdev=n1", "qemu-xhci", "AC97", "virtio-gpu-pci")
UNMOVABLE = ("nvme,drive=spare,serial=spare",)  # such a device cannot be frozen


class Machine:
    """A running machine.

    Args:
        folder: for its files.
        state: its third disk: an image, or the address of a disk elsewhere (`nbd+unix:...`).
        devices: beside its disks.
        kernel_line: what the kernel is given beside the usual.
        frozen: what `freeze` has left; the machine goes on from there.
    """

    def __init__(self, folder: Path, state: str, devices: tuple[str, ...] = DEVICES, kernel_line: str = "",
                 frozen: Path | None = None) -> None:
        self.folder, self._talk, self._control = folder, folder / "talk", folder / "control"
        for one in (self._talk, self._control):
            one.unlink(missing_ok=True)
        drives = [("disk", str(BUILT / "disk"), "readonly=on"), ("source", str(source_disk(folder)), "readonly=on"),
                  ("state", state, "cache=writeback")]
        command = ["qemu-system-x86_64", "-accel", "tcg,thread=multi", "-machine", "q35", "-smp", "2", "-m", "1024",
                   "-cpu", PROCESSOR, "-no-reboot", "-display", "none", "-nodefaults",
                   "-acpitable", f"file={BUILT / 'power.aml'}", "-kernel", str(BUILT / "kernel"),
                   "-initrd", str(BUILT / "initrd"), "-append",
                   f"console=ttyS0 quiet panic=5 root=/dev/vda ro init=/keen-init {kernel_line}",
                   "-serial", f"file:{folder / 'console.log'}",
                   "-chardev", f"socket,id=talk,path={self._talk},server=on,wait=off",
                   "-device", "virtio-serial-pci", "-device", "virtserialport,chardev=talk,name=talk",
                   "-qmp", f"unix:{self._control},server=on,wait=off",
                   "-netdev", "user,id=n0,restrict=on", "-netdev", "user,id=n1,restrict=on"]
        for name, file, how in drives:
            command += ["-drive", f"file={file},format=raw,if=none,id={name},{how}",
                        "-device", f"virtio-blk-pci,drive={name}"]
        if "nvme" in "".join(devices):
            spare = folder / "spare"
            spare.write_bytes(bytes(16 << 20))
            command += ["-drive", f"file={spare},format=raw,if=none,id=spare"]
        for one in devices:
            command += ["-device", one]
        if frozen:
            command += ["-incoming", f"exec:cat {frozen}"]
        self.log = (folder / "qemu.log").open("wb")
        self.process = subprocess.Popen(command, stdin=subprocess.DEVNULL, stdout=self.log, stderr=self.log)
        self._line = self._connect(self._talk)
        self._read = self._line.makefile("rb")
        if not frozen:
            self.release = self._next(BOOTS_WITHIN_S)["ready"]

    def _connect(self, address: Path) -> socket.socket:
        until = time.monotonic() + 30
        while True:
            try:
                line = socket.socket(socket.AF_UNIX)
                line.connect(str(address))
                return line
            except OSError:
                if time.monotonic() > until or self.process.poll() is not None:
                    raise AssertionError((self.folder / "qemu.log").read_text(errors="replace")) from None
                time.sleep(0.05)

    def _next(self, patience_s: float) -> dict[str, Any]:
        self._line.settimeout(patience_s)
        try:
            text = self._read.readline()
        except TimeoutError:
            text = b""
        if not text:
            raise ConnectionError(f"the machine says nothing more; its console: {self._console()}")
        told: dict[str, Any] = json.loads(text)
        return told

    def _console(self) -> str:
        return (self.folder / "console.log").read_text(errors="replace")[-2000:]

    def begin(self, code: str) -> None:
        """Hands code in, and does not wait for it."""
        self._line.sendall(json.dumps({"code": code}).encode() + b"\n")

    def ask(self, code: str) -> Any:
        """Runs code there; what it calls `result` comes back."""
        self.begin(code)
        while "told" in (answer := self._next(ANSWERS_WITHIN_S)):
            pass
        if "error" in answer:
            raise AssertionError(f"{answer['error']}\n{self._console()}")
        return answer["result"]

    def told_until_cut(self, after_s: float) -> list[str]:
        """What the code that was begun says, until this many seconds after the first that it says; then the power is
        cut."""
        found, until = list[str](), time.monotonic() + ANSWERS_WITHIN_S
        while (left := until - time.monotonic()) > 0:
            try:
                answer = self._next(left)
            except ConnectionError:
                break
            until = until if found else time.monotonic() + after_s
            found.append(answer.get("told") or str(answer))
        self.kill()
        return found

    def freeze(self, file: Path) -> None:
        """Writes the running machine into a file, and ends it."""
        with self._connect(self._control) as control, control.makefile("rwb") as line:
            line.readline()
            for told in ({"execute": "qmp_capabilities"},
                         {"execute": "migrate", "arguments": {"uri": f"exec:cat > {file}"}}):
                self._order(line, told)
            while self._order(line, {"execute": "query-migrate"})["status"] not in ("completed", "failed"):
                time.sleep(0.2)
            assert self._order(line, {"execute": "query-migrate"})["status"] == "completed"
        self.kill()

    @staticmethod
    def _order(line: Any, told: dict[str, Any]) -> Any:
        line.write(json.dumps(told).encode() + b"\n")
        line.flush()
        while "event" in (answer := json.loads(line.readline())):
            pass
        assert "return" in answer, answer
        return answer["return"]

    def kill(self) -> None:
        self.process.kill()
        self.process.wait()
        self._line.close()
        self.log.close()


def source_disk(folder: Path) -> Path:
    """A disk with the agent and our source."""
    tree, disk = folder / "source", folder / "source.disk"
    if not disk.exists():
        shutil.copytree(SOURCE, tree / "src", ignore=shutil.ignore_patterns("__pycache__", "*.egg-info"))
        about = tree / "src" / f"keen_lattice-{__version__}.dist-info"  # it is not installed there
        about.mkdir()
        (about / "METADATA").write_text(f"Metadata-Version: 2.1\nName: keen-lattice\nVersion: {__version__}\n")
        shutil.copy(HERE / "agent.py", tree)
        make_disk(disk, 24, tree)
    return disk


def make_disk(disk: Path, mib: int, tree: Path | None = None) -> Path:
    """An ext4 image, empty or with what a folder holds."""
    subprocess.run(["mke2fs", "-q", "-t", "ext4", *(["-d", str(tree)] if tree else []), str(disk), f"{mib}M"],
                   check=True, env={**os.environ, "PATH": f"{os.environ['PATH']}:/usr/sbin:/sbin"})
    return disk
