"""In the machine in qemu: takes code from a port whose other end is the host, runs each piece in a separate process,
and answers.

A line each way, JSON. A piece of code finds the rig's classes loaded, and `tell(text)`, which says something at once.
"""

import fcntl
import json
import os
import socket
import struct
import sys
import traceback
from pathlib import Path
from typing import Any

sys.path.insert(0, "/keen/src")
os.environ |= {"HOME": "/state/home", "KEEN_STATE": "/state/own", "PATH": "/usr/bin:/usr/sbin:/bin:/sbin"}

import keenlattice.rig.applying
import keenlattice.rig.linux.machine
import keenlattice.rig.undoing
import keenlattice.workspace.workspace  # noqa: F401

SET_FLAGS, IS_UP = 0x8914, 1  # SIOCSIFFLAGS, IFF_UP


def main() -> None:
    for card in os.listdir("/sys/class/net"):  # one that is not up has not asked for its interrupts
        fcntl.ioctl(socket.socket(), SET_FLAGS, struct.pack("16sh", card.encode(), IS_UP))
    (port,) = Path("/dev").glob("vport*p1")
    line = os.open(port, os.O_RDWR)
    say(line, {"ready": os.uname().release})
    for text in os.fdopen(os.dup(line), "r"):
        pid = os.fork()
        if not pid:
            say(line, run(json.loads(text)["code"], line))
            os._exit(0)
        if ended := os.waitpid(pid, 0)[1]:
            say(line, {"error": f"it died, wait status {ended}"})


def run(code: str, line: int) -> dict[str, Any]:
    names: dict[str, Any] = {"tell": lambda text: say(line, {"told": text})}
    try:
        exec(compile(code, "<told>", "exec"), names)
    except BaseException:
        return {"error": traceback.format_exc()}
    return {"result": names.get("result")}


def say(line: int, told: dict[str, Any]) -> None:
    whole = json.dumps(told).encode() + b"\n"
    while whole:
        whole = whole[os.write(line, whole):]


main()
