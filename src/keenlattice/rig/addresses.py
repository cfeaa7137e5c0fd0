"""A list of addresses as the setting of the resolver has it, on any system."""

from collections.abc import Callable

from keenlattice.errors import RefusedByRig

BY_NETWORK, MOST = "by-network", 4


def addresses(text: str, kind: Callable[[str], object], example: str) -> list[str]:
    """Return the addresses that a player wrote, with commas between.

    Args:
        text: as they wrote it.
        kind: makes an address of a text; it raises ValueError.
        example: of such a list, for the error.

    Raises:
        RefusedByRig: a part cannot be read as an address, or there are too many.
    """
    try:
        return [str(kind(part)) for part in text.split(",", MOST - 1)]
    except ValueError:
        raise RefusedByRig(f"network.resolver: {text!r} is not a list of addresses, {MOST} at most: write {example} or "
                           f"{BY_NETWORK}") from None
