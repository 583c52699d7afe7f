"""Where a host is found on the network: by the directory's DNS name, or as the settings say."""

from adzeguard.core.errors import HostRefusedError, SettingsError
from adzeguard.core.estate.hosts import Host

_LARGEST_PORT = 65535


def host_address(host: Host, pattern: str) -> str:
    """Return where a host is reached. `HostRefusedError` for a name that cannot be one."""
    address = pattern.replace("{name}", host.name.lower()) if pattern else host.dns_name or host.name
    # The name comes from the directory: it must not say an account or a port, nor begin an option.
    plain = address.replace("-", "").replace(".", "").replace(":", "").replace("[", "").replace("]", "")
    if not plain.isalnum() or not plain.isascii() or address.startswith("-"):
        raise HostRefusedError(f"'{address}' cannot be the address of a host")
    return address


def checked_port(text: str) -> int:
    """Return a port; `SettingsError` for what is none."""
    if not text.isdecimal() or not 0 < int(text) <= _LARGEST_PORT:
        raise SettingsError(f"adzeguard.toml: port must be a number from 1 to {_LARGEST_PORT}, not '{text}'")
    return int(text)
