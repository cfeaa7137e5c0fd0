"""Which processes are connected to a Wayland compositor: the kernel says who is at the other end of a socket."""

import os
import re
import socket
import struct
from collections.abc import Iterable
from pathlib import Path

NETLINK_SOCK_DIAG, SOCK_DIAG_BY_FAMILY, NLMSG_DONE, NLMSG_ERROR = 4, 20, 3, 2
REQUEST_DUMP = 0x301
SHOW_NAME, SHOW_PEER = 1, 4
ATTRIBUTE_NAME, ATTRIBUTE_PEER = 0, 2
ALL_STATES = 0xFFFFFFFF
HEADER, MESSAGE, ATTRIBUTE = struct.Struct("=IHHII"), struct.Struct("=BBBBIII"), struct.Struct("=HH")
ANSWERS_WITHIN_S = 2.0


def socket_path(display: str) -> str:
    """The path of a compositor's socket, from what `WAYLAND_DISPLAY` holds."""
    return display if display.startswith("/") else os.path.join(os.environ.get("XDG_RUNTIME_DIR", "/run"), display)


def is_connected(processes: Iterable[int], display: str) -> bool:
    """Whether any of some processes is connected to a compositor; not, where the kernel does not tell."""
    try:
        peers = _peers_of(socket_path(display))
    except (OSError, struct.error):
        return False
    return any(_sockets(pid) & peers for pid in processes)


def _sockets(pid: int) -> set[int]:
    """The sockets that a process has open, by their numbers."""
    found = set()
    try:
        for entry in Path(f"/proc/{pid}/fd").iterdir():
            if told := re.fullmatch(r"socket:\[(\d+)\]", os.readlink(entry)):
                found.add(int(told[1]))
    except OSError:
        pass  # it has ended, or is somebody else's
    return found


def _peers_of(path: str) -> set[int]:
    """The numbers of the sockets whose other end is of a server that listens at a path."""
    found = set[int]()
    with socket.socket(socket.AF_NETLINK, socket.SOCK_RAW, NETLINK_SOCK_DIAG) as kernel:
        kernel.settimeout(ANSWERS_WITHIN_S)
        asked = struct.pack("=BBHIIIII", socket.AF_UNIX, 0, 0, ALL_STATES, 0, SHOW_NAME | SHOW_PEER, 0, 0)
        kernel.send(HEADER.pack(HEADER.size + len(asked), SOCK_DIAG_BY_FAMILY, REQUEST_DUMP, 1, 0) + asked)
        while True:
            answer, at = kernel.recv(1 << 17), 0
            while at + HEADER.size <= len(answer):
                length, kind, *_ = HEADER.unpack_from(answer, at)
                if kind in (NLMSG_DONE, NLMSG_ERROR) or length < HEADER.size:
                    return found
                name, peer = _attributes(answer[at + HEADER.size + MESSAGE.size:at + length])
                if name == path and peer:
                    found.add(peer)
                at += (length + 3) & ~3


def _attributes(told: bytes) -> tuple[str, int]:
    """A socket's path, and the number of the one at its other end."""
    name, peer, at = "", 0, 0
    while at + ATTRIBUTE.size <= len(told):
        length, kind = ATTRIBUTE.unpack_from(told, at)
        if length < ATTRIBUTE.size:
            break
        content = told[at + ATTRIBUTE.size:at + length]
        if kind == ATTRIBUTE_NAME:
            name = os.fsdecode(content.rstrip(b"\0"))
        elif kind == ATTRIBUTE_PEER and len(content) == 4:
            peer = int.from_bytes(content, "little")
        at += (length + 3) & ~3
    return name, peer
