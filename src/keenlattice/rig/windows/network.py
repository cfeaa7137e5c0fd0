"""Which resolver a connection asks: the one that its network names, or addresses of the player's."""

from ipaddress import IPv4Address

from keenlattice.catalog.load import catalog
from keenlattice.catalog.values import Value
from keenlattice.rig.addresses import BY_NETWORK, addresses
from keenlattice.rig.stored import StoredSetting, Texts

EXAMPLE = "192.0.2.1,192.0.2.2 (IPv4)"


def settings(held: Texts) -> list[StoredSetting]:
    """The resolver of the connection that leads out; nothing, where there is none.

    Args:
        held: connection to the resolvers that are set for it, with commas between; empty if none is.
    """
    return [_resolver(place) for place in list(held)[:1]]


def _resolver(place: str) -> StoredSetting:
    def texts(value: Value, held: Texts) -> Texts:
        return {place: "" if value == BY_NETWORK else ",".join(addresses(str(value), IPv4Address, EXAMPLE))}

    setting = catalog()["network.resolver"].adapted(rights=True)
    return StoredSetting(setting.name, setting, lambda texts: texts.get(place) or BY_NETWORK, texts)
