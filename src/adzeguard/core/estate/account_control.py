"""What the directory notes about how an account signs in: one row for each bit that is looked at and set."""

from typing import Final, Literal

from adzeguard.core.estate.principal import Flag
from adzeguard.core.values import dataclass

ControlName = Literal[
    "not-delegated",
    "smart-card",
    "password-kept",
    "trusted-for-any-service",
    "acts-for-anybody",
    "unproven",
    "password-optional",
    "password-readable",
    "old-ciphers",
    "disabled",
]


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
    Control(
        "trusted-for-any-service",
        0x80000,
        Flag.ANY_SERVICE,
        "give {} the tickets of everybody who signs in to it",
        "give {} no more tickets of those who sign in to it",
    ),
    Control(
        "acts-for-anybody",
        0x1000000,
        Flag.ACTS_FOR_ANYBODY,
        "let {} act in the name of anybody, without them",
        "let {} act in nobody's name without them",
    ),
    Control(
        "unproven",
        0x400000,
        Flag.UNPROVEN,
        "give anyone who asks something of {} to guess its password by",
        "let {} prove itself before it is given anything",
    ),
    Control(
        "password-optional",
        0x20,
        Flag.PASSWORD_OPTIONAL,
        "let {} go without a password",
        "let {} have a password that the policy asks for",
    ),
    Control(
        "password-readable",
        0x80,
        Flag.PASSWORD_READABLE,
        "keep the password of {} so that it can be read",
        "keep the password of {} so that nobody can read it",
    ),
    Control(
        "old-ciphers",
        0x200000,
        Flag.OLD_CIPHERS,
        "let {} sign in with ciphers that are broken",
        "let {} sign in with no broken cipher",
    ),
)


DISABLED: Final = Control("disabled", 0x2, Flag.ENABLED, "disable {}", "enable {} again")
"""Not one of those above: whether an account can be used at all is no standard of how it signs in."""


def control_named(name: str) -> Control:
    """Return the row of this name."""
    return next(control for control in (*CONTROLS, DISABLED) if control.name == name)
