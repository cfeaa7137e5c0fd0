"""Which resolver a connection asks: the one that its network names, or addresses of the player's."""

from ipaddress import IPv4Address

from keenlattice.catalog.load import catalog
from keenlattice.catalog.values import Value
from keenlattice.errors import RefusedByRig
from keenlattice.rig.stored import StoredSetting, Texts

BY_NETWORK = "by-network"


def settings(held: Texts) -> list[StoredSetting]:
    """The resolver of the connection that leads out; nothing, where there is none.

    Args:
        held: connection to the resolvers that are set for it, with commas between; empty if none is.
    """
    return [_resolver(place) for place in list(held)[:1]]


def _resolver(place: str) -> StoredSetting:
    def texts(value: Value, held: Texts) -> Texts:
        return {place: "" if value == BY_NETWORK else ",".join(_addresses(str(value)))}

    setting = catalog()["network.resolver"].model_copy(update={"rights": True})
    return StoredSetting(setting.name, setting, lambda texts: texts.get(place) or BY_NETWORK, texts)


def _addresses(text: str) -> list[str]:
    """The addresses that a player wrote.

    Raises:
        RefusedByRig: one is none.
    """
    try:
        return [str(IPv4Address(part)) for part in text.split(",", 3)]
    except ValueError:
        raise RefusedByRig(f"network.resolver: {text!r} is not a list of addresses (IPv4): write 192.0.2.1,192.0.2.2 "
                           f"or {BY_NETWORK}") from None
