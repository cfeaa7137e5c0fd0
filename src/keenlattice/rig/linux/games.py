"""The games' own files as a part of this machine: a setting of the catalog is there if a game's file has it."""

from keenlattice.catalog.load import catalog
from keenlattice.catalog.model import Setting
from keenlattice.rig._gamefiles import LOCK_KEY, GameFiles


class Games(GameFiles):
    """As `GameFiles`, with the settings of the catalog that the files are said to have."""

    def settings(self) -> list[Setting]:
        keys = {key for listed in self.games.values() for key in (*listed.keys, LOCK_KEY)}
        return [*(setting for setting in catalog() if setting.name in keys), *super().settings()]
