"""A disk for a machine in qemu that loses what was not flushed when the power is cut, and not in the order of writing.

It speaks the Network Block Device protocol (newstyle handshake, simple replies) on a Unix socket.
"""

import random
import socket
import struct
import threading
from pathlib import Path

BLOCK = 512
OPTION, REPLY, REQUEST, ANSWER = 0x49484156454F5054, 0x3E889045565A9, 0x25609513, 0x67446698
GO, ACK, INFO, UNSUPPORTED = 7, 1, 3, 2**31 + 1
READ, WRITE, DISCONNECT, FLUSH = 0, 1, 2, 3
HAS_FLAGS, CAN_FLUSH = 1, 4


class DroppingDisk:
    """A disk over an image file; what is written stays in memory until it is flushed."""

    def __init__(self, image: Path, address: Path) -> None:
        self.image, self.address, self.size = image, address, image.stat().st_size
        self.unflushed: dict[int, bytes] = {}
        self.flushes = 0
        address.unlink(missing_ok=True)
        self._listening = socket.socket(socket.AF_UNIX)
        self._listening.bind(str(address))
        self._listening.listen()
        self._file = image.open("r+b", buffering=0)
        threading.Thread(target=self._serve, daemon=True).start()

    def cut(self, seed: int) -> int:
        """The power goes: of what was not flushed some blocks are there and some are not; returns how many are not."""
        drawn, lost = random.Random(seed), 0
        for at, block in self.unflushed.items():
            if drawn.random() < 0.5:
                self._put(at, block)
            else:
                lost += 1
        self.unflushed.clear()
        return lost

    def close(self) -> None:
        self._listening.close()
        self._file.close()

    def _serve(self) -> None:
        while True:
            try:
                peer, _ = self._listening.accept()
            except OSError:
                return
            try:
                if self._greet(peer):
                    while self._answer(peer):
                        pass
            except (OSError, EOFError):
                pass  # the machine is gone
            finally:
                peer.close()

    def _greet(self, peer: socket.socket) -> bool:
        peer.sendall(b"NBDMAGIC" + struct.pack(">QH", OPTION, 1))
        _take(peer, 4)
        while True:
            _, option, length = struct.unpack(">QII", _take(peer, 16))
            _take(peer, length)
            if option != GO:
                peer.sendall(struct.pack(">QIII", REPLY, option, UNSUPPORTED, 0))
                continue
            peer.sendall(struct.pack(">QIIIHQH", REPLY, option, INFO, 12, 0, self.size, HAS_FLAGS | CAN_FLUSH))
            peer.sendall(struct.pack(">QIII", REPLY, option, ACK, 0))
            return True

    def _answer(self, peer: socket.socket) -> bool:
        _, _, kind, handle, at, length = struct.unpack(">IHHQQI", _take(peer, 28))
        if kind == DISCONNECT:
            return False
        held = b""
        if kind == READ:
            held = b"".join(self.unflushed.get(one) or self._get(one) for one in range(at, at + length, BLOCK))
        elif kind == WRITE:
            told = _take(peer, length)
            self.unflushed |= {at + one: told[one:one + BLOCK] for one in range(0, length, BLOCK)}
        elif kind == FLUSH:
            for one, block in self.unflushed.items():
                self._put(one, block)
            self.unflushed.clear()
            self.flushes += 1
        peer.sendall(struct.pack(">IIQ", ANSWER, 0, handle) + held)
        return True

    def _get(self, at: int) -> bytes:
        self._file.seek(at)
        return self._file.read(BLOCK)

    def _put(self, at: int, block: bytes) -> None:
        self._file.seek(at)
        self._file.write(block)


def _take(peer: socket.socket, length: int) -> bytes:
    parts = bytearray()
    while len(parts) < length:
        some = peer.recv(length - len(parts))
        if not some:
            raise EOFError
        parts += some
    return bytes(parts)
