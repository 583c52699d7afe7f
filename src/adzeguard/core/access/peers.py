"""What somebody has beside others: groups that could be copied, and groups that colleagues do not have."""

from collections.abc import Callable, Iterable, Mapping

from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Candidate:
    """A group that somebody could get from somebody else."""

    group: Principal
    power: str
    """In words what power it gives; empty for a group that gives none."""
    members: int
    """How many people are effectively inside."""


def copy_candidates(
    estate: Estate, source: Principal, target: Principal, powers: Callable[[Iterable[int]], Mapping[int, str]]
) -> list[Candidate]:
    """Return the groups that list `source` and not `target`, by name; `powers` says which of them give power."""
    graph = estate.graph
    listed = set(graph.groups_listing(source.id).tolist()) - set(graph.groups_listing(target.id).tolist())
    powerful = powers(listed)
    found = [
        Candidate(group, powerful.get(i, ""), len(graph.expand(i).people))
        for i, group in estate.catalogue.principals(listed).items()
    ]
    return sorted(found, key=lambda candidate: candidate.group.qualified_name.casefold())


def leftovers(estate: Estate, person: Principal) -> list[tuple[Principal, int]]:
    """Return the groups that list somebody and nobody else of the same department and title, with their peers' number.

    Peers are enabled users with the same department, and the same title where one is given. Without peers there is
    nothing to compare with.
    """
    department, title = person.details.get("department"), person.details.get("title")
    if not department:
        return []
    users = estate.catalogue.principals(estate.catalogue.of_kind(Kind.USER).tolist()).values()
    peers = [
        user for user in users if user.id != person.id and user.enabled and user.details.get("department") == department
    ]
    same_title = [peer for peer in peers if title and peer.details.get("title") == title]
    compared = [peer.id for peer in same_title or peers]
    of_peers = {group for peer in compared for group in estate.graph.groups_listing(peer).tolist()}
    mine = [g for g in estate.graph.groups_listing(person.id).tolist() if g not in of_peers]
    found = estate.catalogue.principals(mine)
    return [(found[g], len(compared)) for g in mine if g in found] if compared else []
