"""The local groups of a host with the names of their members."""

from typing import Any

from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.names import local_group_label, on_host


def local_groups(estate: Estate, host: Host) -> list[dict[str, Any]]:
    """Return each group of a host that was read."""
    if host.state is None:
        return []
    groups = []
    for group in host.state.groups:
        members = on_host(estate, host.state, host.name, group.members)
        names = sorted((p.qualified_name for p in members.values()), key=str.casefold)
        groups.append({"name": local_group_label(group.name, group.sid), "sid": group.sid, "members": names})
    return groups
