"""A cut as it is proposed: what to take away in words, and who may go on reaching the group."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Final

from adzeguard.core.change.by_hand.members import memberships_by_hand
from adzeguard.core.change.by_hand.objects import descriptor_over, rights_change
from adzeguard.core.change.by_hand.on_host import members_on
from adzeguard.core.change.change import BY_HAND_RULE, Change
from adzeguard.core.change.draft import Draft
from adzeguard.core.change.kinds.set_account_control import SetAccountControl
from adzeguard.core.charter.group_rule import ResolvedGroupRule
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.descriptors.ace import Ace, without_generic
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.objects import outsider
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.rights.cut import smallest_cut
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.rights.origin import given
from adzeguard.core.rights.reach import ruling_people
from adzeguard.core.rights.reach_graph import EVERYBODY, Edge, ReachGraph, object_of
from adzeguard.core.rights.reach_words import edge_in_words, reaching
from adzeguard.core.rights.ways import ACTED_FOR, ACTS, ADMINISTERS, BY_ATTRIBUTE, READS, SEES
from adzeguard.core.values import dataclass
from adzeguard.core.wellknown import WELL_KNOWN

_EMPTIED: Final[Mapping[str, str]] = {
    ACTS: "let {} act in nobody's name towards {}",
    ACTED_FOR: "take {} out of msDS-AllowedToActOnBehalfOfOtherIdentity of {}",
    READS: "take {} out of msDS-GroupMSAMembership of {}",
}
"""What closes a way that an attribute gives, with places for who has it and over whom."""


@dataclass(frozen=True, slots=True)
class Part:
    """One thing to take away: a membership in a group, or a grant over an object, from whom it is taken."""

    edge: Edge
    words: str
    holder: Principal
    over: Principal

    @property
    def kind(self) -> str:
        """What is taken away, in a word or two."""
        if self.edge.how == ADMINISTERS:
            return "local administrator"
        if self.edge.how == SEES:
            return "logon"
        if self.edge.how in BY_ATTRIBUTE:
            return "delegation" if self.edge.how != READS else "managed password"
        return "membership" if self.edge.is_membership else "grant"


@dataclass(frozen=True)
class ProposedCut:
    """A cut for people: each thing to take away, and who may go on reaching the group."""

    parts: tuple[Part, ...]
    named: tuple[Principal, ...]
    unwanted: tuple[Principal, ...]
    stays_open: bool


def proposed_cut(
    rights: Rights, charter: ResolvedCharter, group: Principal, graph: ReachGraph, also: Iterable[Principal] = ()
) -> ProposedCut:
    """Return what to take away so that only those reach the group whom rules about it name, and the keepers."""
    ways = reaching(rights.estate, graph, but=ruling_people(rights.estate, group))
    shown = rights.estate.catalogue.principals(graph.objects())
    # A keeper group that holds the group itself names nobody in particular: everybody inside would be meant.
    keepers = [p for p in charter.keepers if p.kind != Kind.GROUP or not _holds(rights, p, group)]
    named = {p.id: p for p in (*_named_for(charter, group), *keepers, *also) if p.id >= 0}
    inside = {m for p in named.values() if p.kind == Kind.GROUP for m in _members(rights, p)}
    unwanted = [r.principal for r in ways if r.principal.id not in named.keys() | inside]
    starts = [EVERYBODY if p.id < 0 else p.id for p in unwanted]
    cut = smallest_cut(graph, starts, {*named, *inside})
    parts = tuple(part_of(shown, edge, rights) for edge in cut.edges)
    return ProposedCut(parts, tuple(named.values()), tuple(unwanted), cut.stays_open)


def _named_for(charter: ResolvedCharter, group: Principal) -> list[Principal]:
    rules = [rule for rule in charter.of(ResolvedGroupRule) if rule.group == group]
    listed = [r for rule in rules for r in (*(rule.only or ()), *rule.include, *(rule.reach_only or ()))]
    return [reference for reference in listed if isinstance(reference, Principal)]


def _holds(rights: Rights, outer: Principal, inner: Principal) -> bool:
    return outer.id == inner.id or outer.id in rights.estate.graph.effective_groups(inner.id)


def _members(rights: Rights, group: Principal) -> list[int]:
    members: list[int] = rights.estate.graph.expand(group.id).people.tolist()
    return members


def part_of(shown: Mapping[int, Principal], edge: Edge, rights: Rights) -> Part:
    """Return in words what to take away so that an edge is gone; `shown` holds whom it is about."""
    if edge.how == ADMINISTERS:
        holder = shown.get(edge.holder) or outsider(WELL_KNOWN["everyone"])
        words = f"take {holder.qualified_name} out of the administrators of {shown[edge.target].name}"
        return Part(edge, words, holder, shown[edge.target])
    if edge.how == SEES:
        who, host = shown[edge.target], shown[edge.holder]
        return Part(edge, f"refuse {who.qualified_name} logon at {host.name}, by a rule", host, who)
    if edge.how in BY_ATTRIBUTE:
        holder, over = shown.get(edge.holder) or outsider(WELL_KNOWN["everyone"]), shown[edge.target]
        return Part(edge, _EMPTIED[edge.how].format(holder.qualified_name, over.qualified_name), holder, over)
    if edge.is_membership or edge.entry is None or edge.entry.sid is None:
        words = f"end the membership: {edge_in_words(shown, edge)}"
        return Part(edge, words, shown[edge.holder], shown[edge.target])
    # Where only some of those whom a grant is for have all that the way needs, it goes from all of them.
    holder, over = rights.holder(edge.entry.sid), shown[edge.stands_on]
    told = {**shown, edge.holder: holder}
    if edge.stands_on != object_of(edge.target):
        told[object_of(edge.target)] = replace(over, qualified_name=f"those below {over.dn}")
    return Part(edge, f"withdraw the grant: {edge_in_words(told, edge)}", holder, over)


def cut_draft(rights: Rights, cut: ProposedCut) -> Draft:
    """Return a cut as changes; a primary group is left first, and a grant goes with all entries that give it."""
    estate = rights.estate
    pairs = [(part.over, part.holder) for part in cut.parts if part.edge.is_membership]
    memberships = memberships_by_hand(estate, (), pairs, "")
    grants = tuple(_withdrawing(estate, (part.edge for part in cut.parts)))
    on_hosts = [_out_of_administrators(estate, part) for part in cut.parts if part.edge.how == ADMINISTERS]
    acting = {part.holder.id: part.holder for part in cut.parts if part.edge.how == ACTS}
    controls = [
        SetAccountControl(object=Named.of(one), control="acts-for-anybody", on=False, rule=BY_HAND_RULE)
        for one in acting.values()
    ]
    notes = [_refusal(part) for part in cut.parts if part.edge.how == SEES]
    notes += [f"at a directory server: {part.words}" for part in cut.parts if part.edge.how in (ACTED_FOR, READS)]
    return Draft(
        (*memberships.changes, *(change for one in on_hosts for change in one.changes), *grants, *controls),
        (*memberships.left_out, *(left for one in on_hosts for left in one.left_out)),
        (*memberships.notes, *notes),
    )


def _out_of_administrators(estate: Estate, part: Part) -> Draft:
    host = estate.host_named(part.over.name)
    if host is None or part.holder.sid is None:
        return Draft(())
    return members_on(estate, host, "administrators", [str(part.holder.sid)], "", add=False)


def _refusal(part: Part) -> str:
    """Return what closes the way for good: what was left there ends by itself, and a rule keeps it from coming back."""
    who, host = part.over.qualified_name, part.holder.name
    return f"a rule keeps {who} from logging on there: hosts: {{named: {host}}}, no-privileged-logons: ['{who}']"


def _withdrawing(estate: Estate, edges: Iterable[Edge]) -> Iterator[Change]:
    """Yield for each object the change that takes the entries of a cut away, where they really stand."""
    by_object: dict[int, dict[Ace, None]] = {}
    for edge in edges:
        if edge.entry is not None:
            standing = by_object.setdefault(edge.stands_on, {})
            over = estate.principal(edge.stands_on)
            standing |= dict.fromkeys(_giving(descriptor_over(estate, over).entries, edge.entry))
    for stands_on, entries in by_object.items():
        yield rights_change(Named.of(estate.principal(stands_on)), takes=entries)


def _giving(standing: Sequence[Ace], arrived: Ace) -> Iterator[Ace]:
    """Yield the entries of an object itself that are this one, or by which it arrived further down."""
    mask = without_generic(arrived.mask)
    for entry in standing:
        same = given(entry) == given(arrived) and not entry.inherited and not entry.denies
        if same and without_generic(entry.mask) & mask:
            yield entry
