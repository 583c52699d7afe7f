"""Where and when the directory lets an account log on, as far as it says."""

from adzeguard.core.estate.principal import Principal


def hours_value(account: Principal) -> bytes:
    """Return what the directory holds about the hours of an account; empty where it may log on at any hour."""
    try:
        return bytes.fromhex(str(account.details.get("logon_hours", "")))
    except ValueError:
        return b""


def hosts_listed(account: Principal) -> tuple[str, ...]:
    """Return the names of the hosts that an account may log on to alone; empty where it may log on to any."""
    return hosts_in(str(account.details.get("workstations", "")))


def hosts_in(text: str) -> tuple[str, ...]:
    """Return the names of hosts in a value of userWorkstations."""
    return tuple(stripped for name in text.split(",") if (stripped := name.strip()))
