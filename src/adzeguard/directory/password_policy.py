"""The password policy that an entry holds: the domain's own, or that of a settings object."""

from typing import Any, Final

from adzeguard.directory.port import Entry

_COMPLEX: Final = 0x1  # DOMAIN_PASSWORD_COMPLEX, [MS-SAMR] 2.2.3.15 and [MS-ADA3] pwdProperties
_KEPT: Final = 0x10  # DOMAIN_PASSWORD_STORE_CLEARTEXT
_NEVER: Final = -(1 << 63)
_STEPS_OF_A_DAY: Final = 864_000_000_000  # of 100 nanoseconds, [MS-DTYP] 2.3.3
_STEPS_OF_A_MINUTE: Final = 600_000_000


def password_policy(entry: Entry) -> dict[str, Any]:
    """Return what it demands, as numbers; nothing for an entry that holds no policy."""
    if b"msds-passwordsettings" in entry.classes:
        return {
            "precedence": entry.number("msds-passwordsettingsprecedence"),
            "min_length": entry.number("msds-minimumpasswordlength"),
            "complex": _is_true(entry, "msds-passwordcomplexityenabled"),
            "reversible": _is_true(entry, "msds-passwordreversibleencryptionenabled"),
            "history": entry.number("msds-passwordhistorylength"),
            "max_days": _length(entry, "msds-maximumpasswordage", _STEPS_OF_A_DAY),
            "lock_after": entry.number("msds-lockoutthreshold"),
            "lock_minutes": _length(entry, "msds-lockoutduration", _STEPS_OF_A_MINUTE),
            "applies_to": sorted(
                value.decode("utf-8", "surrogateescape") for value in entry.attributes.get("msds-psoappliesto", ())
            ),
        }
    if b"domaindns" not in entry.classes or entry.first("minpwdlength") is None:
        return {}
    properties = entry.number("pwdproperties")
    return {
        "precedence": 0,
        "min_length": entry.number("minpwdlength"),
        "complex": bool(properties & _COMPLEX),
        "reversible": bool(properties & _KEPT),
        "history": entry.number("pwdhistorylength"),
        "max_days": _length(entry, "maxpwdage", _STEPS_OF_A_DAY),
        "lock_after": entry.number("lockoutthreshold"),
        "lock_minutes": _length(entry, "lockoutduration", _STEPS_OF_A_MINUTE),
        # Whose server it is says the domain alone: "Provisioned by SAMBA 4.17.12-Debian".
        "every_scope": "SAMBA" in entry.text("oeminformation").upper(),
    }


def _is_true(entry: Entry, attribute: str) -> bool:
    return entry.text(attribute).upper() == "TRUE"


def _length(entry: Entry, attribute: str, unit: int) -> int:
    """Lengths of time are kept below zero; the lowest number is for ever ([MS-ADA2] maxPwdAge)."""
    steps = entry.number(attribute)
    return 0 if steps == _NEVER else -steps // unit
