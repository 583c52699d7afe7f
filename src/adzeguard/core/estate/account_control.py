"""What the directory notes about how an account signs in: one row for each bit that is looked at and set."""

from dataclasses import dataclass
from typing import Final, Literal

from adzeguard.core.estate.principal import Flag

ControlName = Literal["not-delegated", "smart-card", "password-kept", "disabled"]


@dataclass(frozen=True, slots=True)
class Control:
    """One bit of userAccountControl ([MS-ADTS] 2.2.16), as a flag of the estate, and in words when on and off."""

    name: ControlName
    bit: int
    flag: Flag
    on: str
    off: str


CONTROLS: Final[tuple[Control, ...]] = (
    Control(
        "not-delegated",
        0x100000,
        Flag.NOT_DELEGATED,
        "let no service act in the name of {}",
        "let services act in the name of {} again",
    ),
    Control(
        "smart-card",
        0x40000,
        Flag.SMART_CARD,
        "let {} sign in with a smart card alone",
        "let {} sign in without a smart card again",
    ),
    Control(
        "password-kept",
        0x10000,
        Flag.PASSWORD_KEPT,
        "let the password of {} never expire",
        "let the password of {} expire",
    ),
)


DISABLED: Final = Control("disabled", 0x2, Flag.ENABLED, "disable {}", "enable {} again")
"""Not one of those above: whether an account can be used at all is no standard of how it signs in."""


def control_named(name: str) -> Control:
    """Return the row of this name."""
    return next(control for control in (*CONTROLS, DISABLED) if control.name == name)
