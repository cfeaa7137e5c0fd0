"""Keen Lattice: edit per-game driver profiles, apply them safely, and measure what each change did.

    >>> import keenlattice as keen
    >>> import tempfile
    >>> ws = keen.open(tempfile.mkdtemp())
    >>> ws.edit("brass-orbit", {"frame.queue-depth": 1}, note="flippers sooner").after.note
    'flippers sooner'

`open` gives a `Workspace`: a logbook and a rig together, and everything that a command does is a method of it. What
the workspace is made of can be had by itself, here or from the packages: `dir(keenlattice.study)` lists what one has.
Each name is loaded when it is first used; the names and their types are in `__init__.pyi`.
"""

from keenlattice._exports import exports

__getattr__, __dir__ = exports(__name__, __file__)
