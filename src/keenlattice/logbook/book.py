"""The logbook: the folder that remembers versions, applies, captures and studies."""

from keenlattice.logbook._captures import Captures
from keenlattice.logbook._versions import Versions
from keenlattice.logbook.applies import Applies


class Logbook(Versions, Applies, Captures):
    """A logbook folder. Every change to it is one transaction.

    One that was made elsewhere (`elsewhere`) is open for reading alone.

    Args:
        folder: where it is, or shall be; None for `default_folder()`.

    Raises:
        BookError: the folder holds something else, is damaged, or cannot be written.
    """
