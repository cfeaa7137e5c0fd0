"""The catalog's own settings that options of the driver stand for: one name for a player, whatever the driver calls it.

Two of these options are the window-system loader's, `vblank_mode` and `adaptive_sync`: it reads them from the same
files, and no driver lists them among its own.
"""

from collections.abc import Mapping
from dataclasses import dataclass

from keenlattice.catalog.load import catalog
from keenlattice.catalog.model import Setting
from keenlattice.catalog.values import GAME_DECIDES, Value, same, written
from keenlattice.errors import RefusedByRig


@dataclass(frozen=True)
class Mapped:
    """A driver's option behind a setting of the catalog: its written values for the setting's."""

    option: str
    texts: Mapping[str, Value]
    loader: bool = False

    def value(self, text: str) -> Value | None:
        return self.texts.get(text)

    def text(self, value: Value) -> str:
        """How the option spells a value; the first spelling, where there are two.

        Raises:
            RefusedByRig: it has no spelling for it.
        """
        for text, known in self.texts.items():
            if same(known, value):
                return text
        raise RefusedByRig(f"the driver's option {self.option} cannot be {written(value)}; it knows "
                           f"{', '.join(dict.fromkeys(written(known) for known in self.texts.values()))}")


MAPPED: Mapping[str, Mapped] = {
    "sync.vertical": Mapped("vblank_mode", {"0": "off", "3": "on", "1": GAME_DECIDES, "2": GAME_DECIDES}, loader=True),
    "sync.variable-refresh": Mapped("adaptive_sync", {"false": "off", "true": "fullscreen"}, loader=True),
    "driver.threaded-submission": Mapped("mesa_glthread", {"true": True, "false": False}),
    "driver.error-checking": Mapped("mesa_no_error", {"false": True, "true": False}),
}


def mapped_settings(options: set[str]) -> list[Setting]:
    """The catalog's settings that this driver (by the names of its options) or the loader has, with what it takes."""
    return [_narrowed(catalog()[name], one) for name, one in MAPPED.items() if one.loader or one.option in options]


def _narrowed(setting: Setting, mapped: Mapped) -> Setting:
    if setting.kind != "choice":
        changed = {"game_may_decide": GAME_DECIDES in mapped.texts.values()}
        stock = setting.stock if changed["game_may_decide"] or setting.stock != GAME_DECIDES else False
        return setting.model_copy(update={**changed, "stock": stock})
    return setting.model_copy(update={
        "choices": tuple(choice for choice in setting.choices if choice in mapped.texts.values())})
