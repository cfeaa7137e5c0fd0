"""Which processes are connected to a Wayland compositor: the kernel says who is at the other end of a socket."""

import os
import re
import socket
import struct
import threading
import time
from collections import deque
from collections.abc import Iterable, Mapping
from dataclasses import replace
from pathlib import Path
from typing import IO

import numpy as np

from keenlattice.measure.capture import Capture, Floats

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
    inodes = set()
    try:
        for entry in Path(f"/proc/{pid}/fd").iterdir():
            if match := re.fullmatch(r"socket:\[(\d+)\]", os.readlink(entry)):
                inodes.add(int(match[1]))
    except OSError:
        pass  # it has ended, or is somebody else's
    return inodes


def _peers_of(path: str) -> set[int]:
    """The numbers of the sockets whose other end is of a server that listens at a path."""
    peers = set[int]()
    with socket.socket(socket.AF_NETLINK, socket.SOCK_RAW, NETLINK_SOCK_DIAG) as kernel:
        kernel.settimeout(ANSWERS_WITHIN_S)
        asked = struct.pack("=BBHIIIII", socket.AF_UNIX, 0, 0, ALL_STATES, 0, SHOW_NAME | SHOW_PEER, 0, 0)
        kernel.send(HEADER.pack(HEADER.size + len(asked), SOCK_DIAG_BY_FAMILY, REQUEST_DUMP, 1, 0) + asked)
        while True:
            answer, at = kernel.recv(1 << 17), 0
            while at + HEADER.size <= len(answer):
                length, kind, *_ = HEADER.unpack_from(answer, at)
                if kind in (NLMSG_DONE, NLMSG_ERROR) or length < HEADER.size:
                    return peers
                name, peer = _attributes(answer[at + HEADER.size + MESSAGE.size:at + length])
                if name == path and peer:
                    peers.add(peer)
                at += (length + 3) & ~3


def _attributes(raw: bytes) -> tuple[str, int]:
    """A socket's path, and the number of the one at its other end."""
    name, peer, at = "", 0, 0
    while at + ATTRIBUTE.size <= len(raw):
        length, kind = ATTRIBUTE.unpack_from(raw, at)
        if length < ATTRIBUTE.size:
            break
        content = raw[at + ATTRIBUTE.size:at + length]
        if kind == ATTRIBUTE_NAME:
            name = os.fsdecode(content.rstrip(b"\0"))
        elif kind == ATTRIBUTE_PEER and len(content) == 4:
            peer = int.from_bytes(content, "little")
        at += (length + 3) & ~3
    return name, peer


# A program that is started with `WAYLAND_DEBUG=client` has the library write each message that it sends to standard
# error, with a stamp of the system's clock in microseconds. Its surfaces' commits are its frames: so a game that we
# start is measured beyond the screen's refresh rate, with nothing put into it.

ASKS_FOR_THE_LOG: Mapping[str, str] = {"WAYLAND_DEBUG": "client"}
SPOKEN = re.compile(
    rb"^\[\s*(?:(\d\d):(\d\d):(\d\d)\.(\d{6})|(\d+)\.(\d{3}))\]\s+(?:\{[^}]*\}\s+)?"
    rb"-> wl_surface[@#](\d+)\.(commit\(|attach\((nil)?)", re.MULTILINE)
WRAPS_US = 2**32  # older libraries write the lower 32 bits of the microseconds since 1970, and
DAY_US = 86_400_000_000  # newer ones the local time of day
SAME_CLOCK_S = 0.005
MOST_FRAMES = 2_000_000
MOST_LINE, PIECE = 1 << 20, 1 << 16


class CommitLog:
    """Reads a game's log from a pipe as it comes, and keeps when each surface handed a frame over.

    Args:
        pipe: the game's standard error.
    """

    def __init__(self, pipe: IO[bytes]) -> None:
        self._pipe = pipe
        self._commits: dict[int, deque[float]] = {}
        self._attached: set[int] = set()
        self._lock = threading.Lock()
        self._offset_s = time.perf_counter() - time.time()
        threading.Thread(target=self._read, daemon=True).start()

    def frames_of(self, capture: Capture) -> Capture:
        """Return a capture of what was shown with the frames that the game handed over meanwhile instead.

        Clicks and answers stay as they were seen on the screen. Where the game writes no log, it is the same capture.
        """
        start = float(capture.about["clock_start_s"])
        commits = self._in(start, start + capture.seconds)
        if commits.size < 2:
            return capture
        shift_ms = 1000 * (commits[0] - start)
        about = dict(capture.about)
        about["screen_missed_share"] = about.pop("missed_share", None)
        return replace(
            capture, shown_ms=1000 * (commits - commits[0]), click_ms=capture.click_ms - shift_ms,
            answer_ms=capture.answer_ms - shift_ms,
            about={**about, "recorded_by": "commits", "clock_start_s": float(commits[0]),
                   "frames_on_screen": int(capture.shown_ms.size)})

    def _in(self, start: float, end: float) -> Floats:
        """When the surface that hands over most frames did so, from one moment to another, in s of `perf_counter`."""
        time.sleep(0.05)  # what was just written is still on its way
        with self._lock:
            surfaces = [np.array(times) for times in self._commits.values()]
        inside = [times[(times >= start) & (times <= end)] for times in surfaces]
        return max(inside, key=len, default=np.empty(0))

    def _read(self) -> None:
        rest = b""
        while piece := self._next():
            lines, newline, rest = (rest + piece).rpartition(b"\n")
            if newline:
                self._take(lines)
            rest = rest[-MOST_LINE:]

    def _next(self) -> bytes:
        try:
            return os.read(self._pipe.fileno(), PIECE)
        except (OSError, ValueError):  # closed
            return b""

    def _take(self, lines: bytes) -> None:
        offset_s = time.perf_counter() - time.time()
        if abs(offset_s - self._offset_s) > SAME_CLOCK_S:  # the system's clock was set meanwhile
            self._offset_s = offset_s
        now_us = time.time_ns() // 1000
        of_day_us = now_us + 1_000_000 * time.localtime().tm_gmtoff
        with self._lock:
            for message in SPOKEN.finditer(lines):
                surface = int(message[7])
                if message[8].startswith(b"attach"):
                    (self._attached.discard if message[9] else self._attached.add)(surface)
                elif surface in self._attached:  # one without a new buffer is not a frame
                    self._attached.discard(surface)
                    if message[1]:
                        hours, minutes, seconds, us = map(int, message.groups()[:4])
                        stamp_us = 1_000_000 * (3600 * hours + 60 * minutes + seconds) + us
                        age_us = (of_day_us - stamp_us) % DAY_US
                    else:
                        age_us = (now_us - 1000 * int(message[5]) - int(message[6])) % WRAPS_US
                    self._commits.setdefault(surface, deque(maxlen=MOST_FRAMES)).append(
                        (now_us - age_us) / 1e6 + self._offset_s)
