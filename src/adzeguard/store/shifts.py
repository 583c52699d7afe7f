"""The table of shifts."""

from adzeguard.core.time.shift import Shift
from adzeguard.store.plain_rows import PlainRows


class Shifts(PlainRows[Shift]):
    """All shifts that ever were."""

    kind = Shift
    table = "shift"
    letter = "S"
