"""A Wayland compositor that manages one made-up monitor and shows nothing: as a program, `python FILE SOCKET`.

It speaks the wire format itself, so that a misunderstanding of ours is not shared.
"""

import socket
import struct
import sys

MODES = {0xFF000001: (1280, 800, 60000, True), 0xFF000002: (1280, 800, 120000, False),
         0xFF000003: (1024, 768, 75000, False)}
HEAD, SERIAL = 0xFF000000, 7


def text(words: str) -> bytes:
    raw = words.encode() + b"\0"
    return struct.pack("=I", len(raw)) + raw + bytes(-len(raw) % 4)


class Client:
    """One connection; a request is a method, named for its interface and number."""

    on = 0xFF000001

    def __init__(self, connection: socket.socket) -> None:
        self._connection, self._known, self._chosen = connection, {1: "display"}, 0

    def serve(self) -> None:
        while header := self._connection.recv(8, socket.MSG_WAITALL):
            number, opcode, length = struct.unpack("=IHH", header)
            content = self._connection.recv(length - 8, socket.MSG_WAITALL) if length > 8 else b""
            answer = getattr(self, f"{self._known.get(number)}_{opcode}", None)
            if answer:
                answer(number, struct.unpack(f"={len(content) // 4}I", content))

    def tell(self, number: int, opcode: int, content: bytes = b"") -> None:
        self._connection.sendall(struct.pack("=IHH", number, opcode, 8 + len(content)) + content)

    def display_0(self, number: int, words: tuple[int, ...]) -> None:  # sync
        self.tell(words[0], 0, struct.pack("=I", 0))

    def display_1(self, number: int, words: tuple[int, ...]) -> None:  # get the registry
        self._known[words[0]] = "registry"
        self.tell(words[0], 0, struct.pack("=I", 1) + text("zwlr_output_manager_v1") + struct.pack("=I", 2))

    def registry_0(self, number: int, words: tuple[int, ...]) -> None:  # bind
        self._known[words[-1]] = "manager"
        self.tell(words[-1], 0, struct.pack("=I", HEAD))
        self.tell(HEAD, 0, text("PANEL-1"))
        for mode, (width, height, mhz, preferred) in MODES.items():
            self.tell(HEAD, 3, struct.pack("=I", mode))
            self.tell(mode, 0, struct.pack("=ii", width, height))
            self.tell(mode, 1, struct.pack("=i", mhz))
            if preferred:
                self.tell(mode, 2)
        self.tell(HEAD, 4, struct.pack("=i", 1))
        self.tell(HEAD, 5, struct.pack("=I", Client.on))
        self.tell(HEAD, 6, struct.pack("=ii", 0, 0))
        self.tell(words[-1], 1, struct.pack("=I", SERIAL))

    def manager_0(self, number: int, words: tuple[int, ...]) -> None:  # create a configuration
        self._known[words[0]] = "configuration" if words[1] == SERIAL else "stale"

    def configuration_0(self, number: int, words: tuple[int, ...]) -> None:  # enable a head
        self._known[words[0]] = "configured" if words[1] == HEAD else "stale"

    def configured_0(self, number: int, words: tuple[int, ...]) -> None:  # set a mode
        self._chosen = words[0]

    def configuration_2(self, number: int, words: tuple[int, ...]) -> None:  # apply
        fits = self._chosen in MODES
        Client.on = self._chosen if fits else Client.on
        self.tell(number, 0 if fits else 1)


with socket.socket(socket.AF_UNIX) as server:
    server.bind(sys.argv[1])
    server.listen()
    while True:
        Client(server.accept()[0]).serve()
