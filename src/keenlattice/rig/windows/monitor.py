"""The primary monitor under Windows: its mode, how other resolutions fit, and its dynamic range."""

from collections.abc import Sequence

from keenlattice.catalog.load import catalog
from keenlattice.catalog.values import Value
from keenlattice.errors import RefusedByRig
from keenlattice.rig.base import FactValue
from keenlattice.rig.stored import StoredSetting, Texts

MODE, FIT, RANGE = "display/mode", "display/fit", "display/dynamic-range"
FITS = {"0": "keep-shape", "1": "stretch", "2": "centre"}


def settings(held: Texts, modes: Sequence[str]) -> list[StoredSetting]:
    """The settings that the monitor has.

    Args:
        held: what is on.
        modes: that it has: `1920x1080@60`.
    """
    mode = held.get(MODE)
    result = []
    if mode is not None and len(modes) > 1:
        result += [_resolution(modes, mode), _refresh(modes, mode)]
    if held.get(FIT) is not None:
        result.append(_fit())
    if held.get(RANGE) is not None:
        result.append(_range())
    return result


def facts(texts: Texts, modes: Sequence[str]) -> dict[str, FactValue]:
    """What is on, and the best refresh rate that it has at this resolution."""
    mode = texts.get(MODE)
    if mode is None:
        return {}
    size, rate = _parts(mode)
    best = max([rate, *(_parts(mode)[1] for mode in modes if _parts(mode)[0] == size)])
    return {"resolution": size, **({"refresh_hz": rate, "best_refresh_hz": best} if rate else {})}


def _parts(mode: str) -> tuple[str, int]:
    size, _, rate = mode.partition("@")
    return size, int(rate or 0)


def _refresh(modes: Sequence[str], now: str) -> StoredSetting:
    def texts(value: Value, held: Texts) -> Texts:
        size = _parts(held.get(MODE) or now)[0]
        if (mode := f"{size}@{value}") not in modes:
            rates = sorted({rate for mode in modes if (rate := _parts(mode)[1]) and _parts(mode)[0] == size})
            raise RefusedByRig(f"display.refresh: the monitor does not do {value} Hz at {size}; it does "
                               f"{', '.join(map(str, rates))}")
        return {MODE: mode}

    setting = catalog()["display.refresh"].adapted(stock=max(24, _parts(now)[1]))
    return StoredSetting(setting.name, setting, lambda texts: _parts(texts.get(MODE) or now)[1], texts, step="mode")


def _resolution(modes: Sequence[str], now: str) -> StoredSetting:
    """The size; the rate stays if the monitor has it at that size, else it is the highest that it has."""
    def texts(value: Value, held: Texts) -> Texts:
        rate = _parts(held.get(MODE) or now)[1]
        rates = [_parts(mode)[1] for mode in modes if _parts(mode)[0] == value]
        if not rates:
            sizes = sorted({_parts(mode)[0] for mode in modes}, key=
                           lambda size: [-int(part) for part in size.split("x")])
            raise RefusedByRig(f"display.resolution: the monitor does not do {value}; it does {', '.join(sizes[:12])}")
        return {MODE: f"{value}@{rate if rate in rates else max(rates)}"}

    setting = catalog()["display.resolution"].adapted(stock=_parts(now)[0])
    return StoredSetting(setting.name, setting, lambda texts: _parts(texts.get(MODE) or now)[0], texts, step="mode")


def _fit() -> StoredSetting:
    numbers = {word: number for number, word in FITS.items()}
    setting = catalog()["display.fit"]
    return StoredSetting(setting.name, setting, lambda texts: FITS.get(texts.get(FIT) or ""),
                         lambda value, held: {FIT: numbers[str(value)]}, step="mode")


def _range() -> StoredSetting:
    setting = catalog()["display.hdr"]
    return StoredSetting(setting.name, setting, lambda texts: texts.get(RANGE) == "1",
                         lambda value, held: {RANGE: str(int(bool(value)))})
