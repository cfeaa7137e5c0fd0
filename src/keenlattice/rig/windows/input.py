"""Keys, the pointer and the desktop's effects: parameters of the system's, as texts of numbers with blanks between."""

from keenlattice.catalog.load import catalog
from keenlattice.catalog.values import Value
from keenlattice.errors import RefusedByRig
from keenlattice.rig.stored import StoredSetting, Texts

DELAY, SPEED, POINTER, FILTER = (f"parameter/{name}" for name in (
    "key-delay", "key-speed", "pointer", "filter-keys"))
EFFECTS = tuple(f"parameter/{name}" for name in (
    "interface-effects", "client-animation", "menu-animation", "list-scrolling", "combo-animation", "drop-shadow",
    "whole-windows"))
FILTER_ON = 1
DELAYS_MS = (250, 500, 750, 1000)
SLOWEST_HZ, FASTEST_HZ, SPEEDS = 2.5, 30.0, 32
ACCELERATED = (6, 10, 1)
"""Two thresholds in counts and the degree of acceleration that the system begins with."""


def settings(held: Texts) -> list[StoredSetting]:
    """The settings that this machine's parameters have.

    Args:
        held: what the parameters hold now; one that the system does not tell has no setting.
    """
    made = {DELAY: _repeat("input.key-repeat-delay", DELAY, DELAYS_MS, "delay"),
            SPEED: _repeat("input.key-repeat-interval", SPEED, _intervals(), "repeat"),
            POINTER: _pointer(), FILTER: _acceptance(), EFFECTS[0]: _effects(held)}
    return [stored for place, stored in made.items() if held.get(place) is not None]


def _intervals() -> tuple[int, ...]:
    """The interval of each speed in whole ms: 2.5 to 30 letters a second in equal steps."""
    step = (FASTEST_HZ - SLOWEST_HZ) / (SPEEDS - 1)
    return tuple(round(1000 / (SLOWEST_HZ + step * speed)) for speed in range(SPEEDS))


def _numbers(texts: Texts, place: str, count: int) -> list[int]:
    """The numbers of a parameter; zeros, if the system does not tell them."""
    parts = (texts.get(place) or "").split()
    return [int(part) for part in parts] if len(parts) == count else [0] * count


def _text(numbers: list[int]) -> str:
    return " ".join(map(str, numbers))


def _filter(texts: Texts) -> dict[str, int]:
    """The filter keys: flags, and times in ms."""
    return dict(zip(("flags", "wait", "delay", "repeat", "bounce"), _numbers(texts, FILTER, 5), strict=True))


def _filtered(name: str, held: Texts, **changed: int) -> Texts:
    """The filter keys, switched on with some times changed; times that nobody has set are those that hold without.

    Raises:
        RefusedByRig: they are not to be had, or ignore repeated strokes, which rules the other times out.
    """
    if held.get(FILTER) is None:
        raise RefusedByRig(f"{name}: this system takes only its own steps for it")
    now = _filter(held)
    if now["bounce"]:
        raise RefusedByRig(f"{name}: the system's filter keys ignore quick strokes now, and take no other time beside "
                           "that: switch it off in the settings for ease of use first")
    if not now["flags"] & FILTER_ON:
        speeds, delay, speed = _intervals(), _numbers(held, DELAY, 1)[0], _numbers(held, SPEED, 1)[0]
        now |= {"flags": now["flags"] | FILTER_ON, "wait": 0, "delay": DELAYS_MS[min(delay, 3)],
                "repeat": speeds[min(speed, SPEEDS - 1)]}
    return {FILTER: _text(list({**now, **changed}.values()))}


def _repeat(name: str, place: str, steps: tuple[int, ...], field: str) -> StoredSetting:
    """Delay or interval of the key repeat: in the system's own steps, else by that field of its filter keys."""

    def value(texts: Texts) -> Value | None:
        filtered = _filter(texts)
        step = _numbers(texts, place, 1)[0]
        return filtered[field] if filtered["flags"] & FILTER_ON else steps[step] if step < len(steps) else None

    def texts(value: Value, held: Texts) -> Texts:
        if value in steps and not _filter(held)["flags"] & FILTER_ON:
            return {place: str(steps.index(int(value)))}
        return _filtered(name, held, **{field: int(value)})

    return StoredSetting(name, catalog()[name], value, texts, step="keys")


def _acceptance() -> StoredSetting:
    name = "input.key-acceptance-delay"

    def value(texts: Texts) -> Value:
        filtered = _filter(texts)
        return filtered["wait"] if filtered["flags"] & FILTER_ON else 0

    return StoredSetting(name, catalog()[name], value,
                         lambda value, held: _filtered(name, held, wait=int(value)), step="keys")


def _pointer() -> StoredSetting:
    def texts(value: Value, held: Texts) -> Texts:
        first, second, degree = _numbers(held, POINTER, 3)
        if not value:
            return {POINTER: _text([first, second, 0])}
        return {POINTER: _text([first, second, degree or 1] if first or second else list(ACCELERATED))}

    name = "input.pointer-acceleration"
    return StoredSetting(name, catalog()[name], lambda texts: _numbers(texts, POINTER, 3)[2] > 0, texts)


def _effects(held: Texts) -> StoredSetting:
    """All effects that the system reports at once: off when each is off."""
    places = [place for place in EFFECTS if held.get(place) is not None]
    name = "background.visual-effects"
    return StoredSetting(name, catalog()[name], lambda texts: any(texts.get(place) == "1" for place in places),
                         lambda value, held: dict.fromkeys(places, str(int(bool(value)))))
