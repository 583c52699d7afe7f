"""What power a group gives: it is privileged, leads into a privileged group in any way, or administers hosts."""

from collections.abc import Iterable, Sequence

from adzeguard.core.estate.principal import Principal
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.rights.reach import ReachFinder


def powers_of(rights: Rights, privileged: Sequence[Principal], groups: Iterable[int]) -> dict[int, str]:
    """Return in words what power each of the groups gives its members; groups that give none are left out."""
    found: dict[int, str] = {}
    wanted = set(groups)
    finder = ReachFinder(rights)
    for group in privileged:
        found.setdefault(group.id, "is privileged")
        behind = finder.graph(group.id)
        for i in wanted & behind.behind():
            nested = all(edge.is_membership for edge in behind.chain(i))
            found.setdefault(i, f"leads {'into' if nested else 'by its rights into'} {group.qualified_name}")
    for i in wanted:
        hosts = _hosts_of(rights, i)
        if hosts:
            found.setdefault(i, f"administers {hosts} host{'s' * (hosts != 1)}")
    return {i: words for i, words in found.items() if i in wanted}


def _hosts_of(rights: Rights, group: int) -> int:
    estate = rights.estate
    leading = {group, *estate.graph.effective_groups(group).tolist()}
    sids = {p.sid for p in estate.catalogue.principals(leading).values() if p.sid}
    return sum(not sids.isdisjoint(members) for members in estate.host_administrators)
