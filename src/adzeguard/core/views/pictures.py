"""What pictures show, as plain values: drawings of what leads to what, and figures by time, place and age."""

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from itertools import pairwise

from adzeguard.core.access.members import hosts_per_person
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.places import short_dn
from adzeguard.core.estate.principal import Flag, Kind, Principal
from adzeguard.core.identity import Sid, parent_dn
from adzeguard.core.review.proposed_cut import ProposedCut
from adzeguard.core.rights.reach_graph import ReachGraph, object_of
from adzeguard.core.rights.reach_words import Reaching
from adzeguard.core.rights.ways import SEES
from adzeguard.core.values import dataclass

_DAY = 86_400
AGES = ((30, "30 days"), (90, "90 days"), (180, "180 days"), (365, "a year"))


@dataclass(frozen=True, slots=True)
class Node:
    """One thing of a drawing, and whether it stands in focus."""

    key: str
    label: str
    kind: str
    focus: bool = False


@dataclass(frozen=True, slots=True)
class Arrow:
    """One thing that leads to another: by a membership, a right, or a logon; in focus, or to be taken away."""

    begin: str
    end: str
    by_right: bool = False
    by_logon: bool = False
    focus: bool = False
    cut: bool = False
    words: str = ""


@dataclass(frozen=True)
class Drawing:
    """What leads to `root`, which stands on the right."""

    title: str
    root: str
    nodes: Sequence[Node]
    arrows: Sequence[Arrow]


def nesting(estate: Estate, group: Principal, focus: Principal | None) -> Drawing:
    """Return how a group is nested: every group that leads into it, with how many accounts each lists itself."""
    graph = estate.graph
    path = graph.expand(group.id).proof(focus.id) or [] if focus is not None else []
    on_path = set(pairwise(path))
    inside = [group.id, *graph.expand(group.id).groups.tolist()]
    known = estate.catalogue.principals([*inside, *path])
    nodes, arrows = {}, []
    for one in dict.fromkeys([*inside, *path]):
        if one in known:
            accounts = sum(graph.position_of(m) is None for m in graph.direct_members(one).tolist())
            label = known[one].name + (f" ({accounts})" if graph.position_of(one) is not None else "")
            nodes[one] = Node(str(one), label, known[one].kind.label, one in path)
    for one in inside:
        members = [m for m in graph.direct_members(one).tolist() if m in nodes and one in nodes]
        arrows += [Arrow(str(member), str(one), focus=(one, member) in on_path) for member in members]
    if len(path) > 1 and path[-1] in nodes and (path[-2], path[-1]) in on_path:
        wanted = Arrow(str(path[-1]), str(path[-2]), focus=True)
        arrows += [wanted] if wanted not in arrows else []
    title = f"How {group.qualified_name} is nested" + (
        f", and how {focus.qualified_name} gets in" if path and focus else ""
    )
    return Drawing(title, str(group.id), list(nodes.values()), arrows)


def reach(estate: Estate, group: Principal, graph: ReachGraph, ways: Iterable[Reaching], cut: ProposedCut) -> Drawing:
    """Return who reaches a group by which ways, and which of them the smallest cut closes."""
    taken = {(part.holder.id, part.over.id) for part in cut.parts}
    edges = {(object_of(e.holder), object_of(e.target)): e for way in ways for e in way.chain}
    known = estate.catalogue.principals({i for pair in edges for i in pair if i >= 0} | {group.id})
    nodes = [Node(str(i), p.name, p.kind.label, i == group.id) for i, p in known.items()]
    arrows = [
        Arrow(
            str(begin),
            str(end),
            by_right=not edge.is_membership and edge.how != SEES,
            by_logon=edge.how == SEES,
            cut=(begin, end) in taken,
        )
        for (begin, end), edge in edges.items()
        if begin in known and end in known
    ]
    return Drawing(f"Who reaches {group.qualified_name}, and the smallest cut", str(graph.group), nodes, arrows)


@dataclass(frozen=True)
class Places:
    """Who administers how many of the hosts of each place; people and places in the order in which they are shown."""

    people: Sequence[str]
    places: Sequence[str]
    hosts: Mapping[str, int]
    counts: Mapping[tuple[str, str], int]


def people_by_place(estate: Estate, most: int) -> Places:
    """Return the people who administer most hosts, against the OUs that these lie in."""
    chosen = dict(Counter(hosts_per_person(estate)).most_common(most))
    names = {i: p.qualified_name for i, p in estate.catalogue.principals(chosen).items()}
    administrators: defaultdict[str, list[frozenset[Sid]]] = defaultdict(list)
    for host, inside in zip(estate.hosts, estate.host_administrators, strict=True):
        if host.state is not None:
            administrators[short_dn(estate, parent_dn(host.dn))].append(inside)
    hosts = {place: len(of_hosts) for place, of_hosts in administrators.items()}
    counts = {
        (names[i], place): count
        for place, of_hosts in administrators.items()
        for i, count in hosts_per_person(estate, of_hosts).items()
        if i in names
    }
    people = [names[i] for i in chosen if i in names]
    return Places(people, sorted(hosts), hosts, counts)


def ages(estate: Estate, now: datetime) -> Mapping[str, tuple[int, int]]:
    """Return by the time since an account was used last how many are enabled, and how many disabled."""
    found: dict[str, list[int]] = {
        label: [0, 0] for label in (*(f"up to {words}" for _, words in AGES), "longer", "never")
    }
    ids, times = estate.catalogue.times_of(Kind.USER)
    enabled = set(estate.catalogue.flagged(Flag.ENABLED).tolist())
    moment = int(now.timestamp())
    for account, used in zip(ids.tolist(), times[:, 1].tolist(), strict=True):
        days = (moment - used) / _DAY
        label = next((f"up to {words}" for most, words in AGES if days <= most), "longer") if used > 0 else "never"
        found[label][account not in enabled] += 1
    return {label: (counts[0], counts[1]) for label, counts in found.items()}


def headcount(estates: Iterable[Estate], groups: Sequence[Principal]) -> Mapping[str, list[tuple[datetime, int]]]:
    """Return for each group how many accounts were inside at the moment of each estate, oldest first."""
    found: dict[str, list[tuple[datetime, int]]] = {group.qualified_name: [] for group in groups}
    for estate in estates:
        for group in groups:
            people = estate.catalogue.principals(estate.graph.expand(group.id).people.tolist()).values()
            found[group.qualified_name].append((estate.taken_at, sum(person.is_person for person in people)))
    return found
