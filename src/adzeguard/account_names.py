"""The names of this system's accounts by their numbers: what the system knows, and never what a variable says."""

import pwd


def account_name(number: int) -> str:
    """Return the name of an account; empty for one without, as in some containers."""
    try:
        return pwd.getpwuid(number).pw_name
    except KeyError:
        return ""
