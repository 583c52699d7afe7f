"""Who works here, as the system knows it: no variable that anybody sets is asked."""

import os
from pathlib import Path
from typing import Final

from adzeguard.account_names import account_name

_LOGIN: Final = Path("/proc/self/loginuid")
_UNSET: Final = 0xFFFFFFFF
_AS, _SAID = " as ", ", called by sudo for "


def operator_now() -> str:
    """Return who works: the account of this process, with who became it.

    The kernel keeps under which account somebody has logged in, and lets nobody else change that (proc(5), loginuid):
    "mira as root". Where it keeps nothing, sudo says who called it, and it stands there as said: "root, called by sudo
    for mira". LOGNAME and its like are whatever a shell was told.
    """
    real = _name_of(os.getuid())
    logged_in = _logged_in()
    if logged_in is not None and logged_in != os.getuid():
        return f"{_name_of(logged_in)}{_AS}{real}"
    caller = os.environ.get("SUDO_UID", "") if os.getuid() == 0 else ""
    if caller.isdecimal() and logged_in is None and int(caller) != 0:
        return f"{real}{_SAID}{_name_of(int(caller))}"
    return real


def names_of(operator: str) -> frozenset[str]:
    """Return every account that is named in who works, folded and without a domain: each of them is that person."""
    parts = operator.replace(_SAID, _AS).split(_AS)
    return frozenset(part.rpartition("\\")[2].casefold() for part in parts)


def _logged_in() -> int | None:
    try:
        number = int(_LOGIN.read_text(encoding="ascii"))
    except (OSError, ValueError):  # another system than Linux, or one without audit
        return None
    return None if number == _UNSET else number


def _name_of(number: int) -> str:
    return account_name(number) or f"account {number}"
