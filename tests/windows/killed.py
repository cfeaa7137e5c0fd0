"""Applies a version on this PC and dies before the nth write to a store: `killed.py FOLDER HOME BOOK VERSION N`.

With 0 for N it puts right what was cut short; with -1 it undoes.
"""

import os
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))
import stand_ins

from keenlattice.logbook.book import Logbook
from keenlattice.profile.version import WHOLE_RIG
from keenlattice.rig.applying import apply
from keenlattice.rig.recovery import cut_short, recover
from keenlattice.rig.undoing import undo
from keenlattice.rig.windows.machine import this_pc
from keenlattice.rig.windows.system import display, network, parameters, power, registry, services

folder, home, book, version, last = sys.argv[1:]
stand_ins.use(Path(folder))
left = int(last)


def dying(write):
    def wrapped(self, texts):
        global left
        left -= 1
        if not left:
            os._exit(9)
        write(self, texts)
    return wrapped


for store in (display.DisplayStore, network.NetworkStore, parameters.ParameterStore, power.PowerStore,
              registry.RegistryStore, services.ServiceStore):
    store.write = dying(store.write)
logbook, rig = Logbook(Path(book)), this_pc(Path(home))
if left > 0:
    apply(rig, logbook, logbook.version(WHOLE_RIG, version))
elif left < 0:
    undo(rig, logbook)
elif cut_short(rig) is not None:
    recover(rig, finish=False)
