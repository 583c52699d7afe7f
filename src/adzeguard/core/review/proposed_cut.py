"""A cut as it is proposed: what to take away in words, and who may go on reaching the group."""

from collections.abc import Iterable
from dataclasses import dataclass, replace

from adzeguard.core.change.by_hand.members import memberships_by_hand
from adzeguard.core.change.draft import Draft
from adzeguard.core.charter.group_rule import ResolvedGroupRule
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.rights.cut import smallest_cut
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.rights.reach import EVERYBODY, Edge, ReachGraph, edge_in_words, reaching


@dataclass(frozen=True)
class ProposedCut:
    """A cut for people: each thing to take away in words, and who may go on reaching the group."""

    edges: tuple[Edge, ...]
    words: tuple[str, ...]
    named: tuple[Principal, ...]
    unwanted: tuple[Principal, ...]
    stays_open: bool


def proposed_cut(
    rights: Rights, charter: ResolvedCharter, group: Principal, graph: ReachGraph, also: Iterable[Principal] = ()
) -> ProposedCut:
    """Return what to take away so that only those reach the group whom rules about it name, and the keepers."""
    ways = reaching(rights.estate, graph)
    shown = rights.estate.catalogue.principals({i for e in graph.edges for i in (e.holder, e.target, e.stands_on)})
    # A keeper group that holds the group itself names nobody in particular: everybody inside would be meant.
    keepers = [p for p in charter.keepers if p.kind != Kind.GROUP or not _holds(rights, p, group)]
    named = {p.id: p for p in (*_named_for(charter, group), *keepers, *also) if p.id >= 0}
    inside = {m for p in named.values() if p.kind == Kind.GROUP for m in _members(rights, p)}
    unwanted = [r.principal for r in ways if r.principal.id not in named.keys() | inside]
    starts = [EVERYBODY if p.id < 0 else p.id for p in unwanted]
    cut = smallest_cut(graph, starts, {*named, *inside})
    words = tuple(_in_words(shown, edge) for edge in cut.edges)
    return ProposedCut(cut.edges, words, tuple(named.values()), tuple(unwanted), cut.stays_open)


def _named_for(charter: ResolvedCharter, group: Principal) -> list[Principal]:
    rules = [rule for rule in charter.of(ResolvedGroupRule) if rule.group == group]
    listed = [r for rule in rules for r in (*(rule.only or ()), *rule.include, *(rule.reach_only or ()))]
    return [reference for reference in listed if isinstance(reference, Principal)]


def _holds(rights: Rights, outer: Principal, inner: Principal) -> bool:
    return outer.id == inner.id or outer.id in rights.estate.graph.effective_groups(inner.id)


def _members(rights: Rights, group: Principal) -> list[int]:
    members: list[int] = rights.estate.graph.expand(group.id).people.tolist()
    return members


def _in_words(shown: dict[int, Principal], edge: Edge) -> str:
    over = shown.get(edge.stands_on)
    if edge.is_membership or over is None:
        return f"end the membership: {edge_in_words(shown, edge)}"
    if edge.stands_on == edge.target:
        return f"withdraw the grant: {edge_in_words(shown, edge)}"
    below = replace(over, qualified_name=f"those below {over.dn}")
    return f"withdraw the grant: {edge_in_words(shown | {edge.target: below}, edge)}"


def cut_draft(rights: Rights, cut: ProposedCut) -> Draft:
    """Return the memberships of a cut as changes, to see what they come to; a primary group is left first."""
    estate = rights.estate
    pairs = [(estate.principal(e.target), estate.principal(e.holder)) for e in cut.edges if e.is_membership]
    return memberships_by_hand(estate, (), pairs, "")
