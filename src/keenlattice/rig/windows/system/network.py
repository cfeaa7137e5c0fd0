"""The resolvers of the connection that leads out, by the functions for interfaces that newer systems have."""

import ctypes
import sys
import uuid
from typing import Any

import win32security

assert sys.platform == "win32"

from keenlattice.rig.stored import Texts
from keenlattice.rig.windows.system.libraries import DENIED, library, refusal

PREFIX = "network/"
ANY_FAMILY, WITH_GATEWAYS, UP = 0, 0x80, 1
VERSION, NAME_SERVER = 1, 0x2
MOST_BYTES = 1_000_000


class InterfaceId(ctypes.Structure):
    """An interface's id."""

    _fields_ = [("data", ctypes.c_ubyte * 16)]


class Resolvers(ctypes.Structure):
    """What is set of an interface's resolvers."""

    _fields_ = [("version", ctypes.c_uint32), ("flags", ctypes.c_uint64), ("domain", ctypes.c_wchar_p),
                ("servers", ctypes.c_wchar_p), ("search", ctypes.c_wchar_p), ("registers", ctypes.c_uint32),
                ("registers_name", ctypes.c_uint32), ("multicast", ctypes.c_uint32), ("queries_name", ctypes.c_uint32),
                ("profile_servers", ctypes.c_wchar_p)]


class Adapter(ctypes.Structure):
    """An adapter in the system's list, as far as its first gateway."""


Adapter._fields_ = [
    ("length", ctypes.c_uint32), ("index", ctypes.c_uint32), ("next", ctypes.POINTER(Adapter)),
    ("name", ctypes.c_char_p), ("addresses", ctypes.c_void_p * 4), ("texts", ctypes.c_wchar_p * 3),
    ("hardware", ctypes.c_ubyte * 8), ("numbers", ctypes.c_uint32 * 4), ("status", ctypes.c_uint32),
    ("index6", ctypes.c_uint32), ("zones", ctypes.c_uint32 * 16), ("prefix", ctypes.c_void_p),
    ("speeds", ctypes.c_uint64 * 2), ("names_server", ctypes.c_void_p), ("gateway", ctypes.c_void_p)]


class NetworkStore:
    """The connection that leads out."""

    def owns(self, place: str) -> bool:
        """Return whether a place is one of these."""
        return place.startswith(PREFIX)

    def read(self) -> Texts:
        """Return the resolvers that are set for it; nothing, where there is none, or the functions are missing."""
        if (interface := _leading_out()) is None or (servers := _servers(interface)) is None:
            return {}
        return {f"{PREFIX}{interface}": servers}

    def check(self, texts: Texts) -> None:
        """Check whether we are an administrator, which these functions want."""
        administrators = win32security.CreateWellKnownSid(win32security.WinBuiltinAdministratorsSid, None)
        ours: Any = None  # the token of this thread, which the function takes none for
        if texts and not win32security.CheckTokenMembership(ours, administrators):
            raise refusal(self.in_words(next(iter(texts))), DENIED)

    def write(self, texts: Texts) -> None:
        """Set the resolvers of connections; none, for those that the network names."""
        for place, text in texts.items():
            wanted = Resolvers(version=VERSION, flags=NAME_SERVER, servers=text or "")
            code = library("iphlpapi").SetInterfaceDnsSettings(_id(place.removeprefix(PREFIX)), ctypes.byref(wanted))
            if code:
                raise refusal(self.in_words(place), code)

    def in_words(self, place: str) -> str:
        """Return what a place is."""
        return "the resolver of the network connection" if place.startswith(PREFIX) else ""


def _id(interface: str) -> InterfaceId:
    return InterfaceId.from_buffer_copy(uuid.UUID(interface).bytes_le)


def _leading_out() -> str | None:
    """The id of the first interface that is up and has a gateway."""
    size, listing = ctypes.c_uint32(0), library("iphlpapi").GetAdaptersAddresses
    listing(ANY_FAMILY, WITH_GATEWAYS, None, None, ctypes.byref(size))
    if not 0 < size.value <= MOST_BYTES:
        return None
    buffer = ctypes.create_string_buffer(size.value)
    if listing(ANY_FAMILY, WITH_GATEWAYS, None, buffer, ctypes.byref(size)):
        return None
    adapter = ctypes.cast(buffer, ctypes.POINTER(Adapter))
    while adapter:
        if adapter.contents.status == UP and adapter.contents.gateway:
            return str(uuid.UUID(adapter.contents.name.decode("ascii", "replace")))
        adapter = adapter.contents.next
    return None


def _servers(interface: str) -> str | None:
    held = Resolvers(version=VERSION)
    try:
        if library("iphlpapi").GetInterfaceDnsSettings(_id(interface), ctypes.byref(held)):
            return None
    except AttributeError:  # an older system
        return None
    servers = (held.servers or "").replace(" ", ",")
    library("iphlpapi").FreeInterfaceDnsSettings(ctypes.byref(held))
    return servers
