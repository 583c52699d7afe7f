"""The exit codes, the same for every command."""

from enum import IntEnum


class Exit(IntEnum):
    """What a command ends with."""

    NOTHING_TO_REPORT = 0
    FAILED = 1
    WRONG_USE = 2
    TO_REPORT = 3
    DONE_IN_PART = 4
