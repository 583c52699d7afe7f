"""What power a group gives: it is privileged, leads into a privileged group in any way, or administers hosts."""

from collections.abc import Iterable, Sequence

from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Principal
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.rights.reach import ReachFinder


class Powers:
    """Says of groups what power they give. What leads into the privileged ones is found once, however often asked."""

    def __init__(self, rights: Rights, privileged: Sequence[Principal]) -> None:
        self._rights = rights
        self.privileged = privileged
        self._finder = ReachFinder(rights)

    def of(self, groups: Iterable[int]) -> dict[int, str]:
        """Return in words what power each of the groups gives its members; groups that give none are left out."""
        wanted = set(groups)
        found: dict[int, str] = {}
        for group in self.privileged if wanted else ():
            found.setdefault(group.id, "is privileged")
            behind = self._finder.graph(group.id)
            for i in wanted & behind.behind():
                nested = all(edge.is_membership for edge in behind.chain(i))
                found.setdefault(i, f"leads {'into' if nested else 'by its rights into'} {group.qualified_name}")
        for i in wanted:
            hosts = _hosts_of(self._rights.estate, i)
            if hosts:
                found.setdefault(i, f"administers {hosts} host{'s' * (hosts != 1)}")
        return {i: words for i, words in found.items() if i in wanted}


def _hosts_of(estate: Estate, group: int) -> int:
    leading = estate.marked([group, *estate.graph.effective_groups(group).tolist()])
    led = estate.administrators.led_by_any(leading)
    return sum(bool(led[row]) for row in estate.administrators.rows.values())
