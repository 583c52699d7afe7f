"""Decisions about rights, and cuts, as pure functions."""

import itertools
import uuid
from dataclasses import replace

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.access.keepers import default_keepers
from adzeguard.core.change.by_hand.objects import rights_change
from adzeguard.core.change.guards.case import Case
from adzeguard.core.change.guards.rights import lost_rights
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.descriptors.ace import Ace, AceFlag, AceKind, Right
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import Named
from adzeguard.core.identity import Sid
from adzeguard.core.rights.cut import smallest_cut
from adzeguard.core.rights.duties import duties_of, usual_flags
from adzeguard.core.rights.evaluate import Question, decide
from adzeguard.core.rights.grants import GrantReader
from adzeguard.core.rights.reach_graph import Edge, ReachGraph
from adzeguard.core.rights.ways import MEMBER
from adzeguard.directory.schema import standard_schema
from tests.estates import DOMAIN as LOWMERE
from tests.estates import NOON, directory

ADA, CREW, OWNER = (Sid(f"S-1-5-21-1-2-3-{n}") for n in (1101, 1102, 1103))
ATTRIBUTE, SET, CLASS = (uuid.UUID(int=n) for n in (1, 2, 3))
WRITING = Question(Right.WRITE_PROPERTY, (ATTRIBUTE, SET, CLASS))
SCHEMA = standard_schema()
DUTIES = duties_of(SCHEMA, {})
DOMAIN = Sid("S-1-5-21-1-2-3")


def over(*entries: Ace, owner: Sid | None = None) -> Descriptor:
    """A descriptor with these entries."""
    return Descriptor(owner, None, None).with_entries(entries)


def may(descriptor: Descriptor, *token: str, question: Question = WRITING, own: str = "") -> bool:
    """Whether somebody with these SIDs may."""
    return decide(descriptor, frozenset(token), own, question).allowed


def test_the_first_entry_about_a_right_decides() -> None:
    """A denial before a grant wins, behind it loses; one for another principal or only handed on says nothing."""
    grant = Ace(AceKind.ALLOW_OBJECT, 0, int(Right.WRITE_PROPERTY), CREW, SET)
    denial = Ace(AceKind.DENY, 0, int(Right.WRITE_PROPERTY), ADA)
    assert may(over(grant), ADA, CREW)
    assert not may(over(denial, grant), ADA, CREW)
    assert may(over(grant, denial), ADA, CREW)
    assert not may(over(grant), ADA)
    assert not may(over(grant.with_flags(AceFlag.CONTAINER_INHERIT | AceFlag.INHERIT_ONLY)), CREW)
    assert may(over(Ace(AceKind.ALLOW, 0, int(Right.GENERIC_ALL), CREW)), CREW)
    conditional = Ace(AceKind.ALLOW_CALLBACK, 0, int(Right.WRITE_PROPERTY), CREW, tail=b"artx")
    assert not may(over(conditional), CREW)


def test_owners_and_the_object_itself_have_their_own_rules() -> None:
    """Owners may change rights unless an entry says what owners may; an entry for itself means the object alone."""
    rights = Question(Right.WRITE_DAC, (CLASS,))
    assert may(over(owner=OWNER), OWNER, question=rights)
    assert not may(over(owner=OWNER), OWNER)
    for_owners = Ace(AceKind.ALLOW, 0, int(Right.WRITE_PROPERTY), Sid("S-1-3-4"))
    assert not may(over(for_owners, owner=OWNER), OWNER, question=rights)
    assert may(over(for_owners, owner=OWNER), OWNER)
    for_itself = Ace(AceKind.ALLOW, 0, int(Right.WRITE_PROPERTY), Sid("S-1-5-10"))
    assert may(over(for_itself), ADA, own=ADA)
    assert not may(over(for_itself), ADA, own=CREW)


@given(
    st.lists(st.sampled_from(sorted(DUTIES)), min_size=1, max_size=4, unique=True),
    st.sampled_from([None, "this-and-below", "below"]),
    st.booleans(),
)
def test_duties_are_read_back_from_their_entries(names: list[str], extent: str | None, deny: bool) -> None:
    """Whatever duties are given together over an OU, every one of them is read back, and nothing is left over."""
    own = SCHEMA.classes["organizationalUnit"]
    entries: list[Ace] = []
    for name in names:
        flags = usual_flags(DUTIES[name], extent, container=True)
        entries += [e for e in DUTIES[name].entries(ADA, deny=deny, flags=flags, over=own) if e not in entries]
    read = GrantReader(SCHEMA, DUTIES, DOMAIN).grants(entries, "organizationalUnit", defaults=True)
    assert {(grant.who, grant.deny) for grant in read} == {(ADA, deny)}
    assert all(grant.duty for grant in read)
    covered = {entry for grant in read for entry in grant.entries}
    assert covered == set(entries)


def test_a_change_that_leaves_no_keeper_the_rights_is_refused() -> None:
    """Taking from keepers what they hold over another's object is refused; with another way it is not."""
    whole = directory(["Administrator", "ada"], {"Domain Admins": ["Administrator"], "Crew": ["Administrator", "ada"]})
    [ada], [crew] = whole.objects.by_name("ada"), whole.objects.by_name("Crew")
    sid = {name: Sid(whole.objects.sid(whole.objects.by_name(name)[0])) for name in ("Crew", "ada", "Domain Admins")}
    given = Ace(AceKind.ALLOW, 0, int(Right.WRITE_DAC), sid["Crew"])
    also = Ace(AceKind.ALLOW, 0, int(Right.WRITE_DAC), sid["Domain Admins"])

    def reasons(*standing: Ace) -> list[str]:
        packed = Descriptor(sid["ada"], None, None).with_entries(standing).to_bytes()
        rows = np.where(np.arange(whole.objects.size) == ada, 0, -1).astype(np.int32)
        objects = replace(whole.objects, descriptors_of=rows, descriptor_bytes=(packed,))
        of = Estate(NOON, LOWMERE, objects, whole.graph)
        charter = ResolvedCharter((), (), tuple(default_keepers(of)))
        change = rights_change(Named.of(of.principal(ada)), takes=[given])
        return list(lost_rights(Case(of, [change], charter, operator=of.principal(crew))))

    assert "no keeper could change the rights over CN=ada" in reasons(given)[0]
    assert reasons(given, also) == []


@st.composite
def networks(draw: st.DrawFn) -> tuple[ReachGraph, list[int], list[int]]:
    """Memberships that lead to group 0, some people who must not be inside, and some who must."""
    pairs = draw(st.sets(st.tuples(st.integers(1, 6), st.integers(0, 6)), max_size=9))
    edges = [Edge(holder, target, MEMBER) for holder, target in sorted(pairs) if holder != target]
    unwanted = draw(st.sets(st.integers(4, 6), max_size=3))
    return ReachGraph(0, edges), sorted(unwanted), sorted({4, 5, 6} - unwanted)


def leads(edges: list[Edge], start: int) -> bool:
    """Whether somebody gets to group 0."""
    seen, waiting = {start}, [start]
    while waiting:
        here = waiting.pop()
        for edge in edges:
            if edge.holder == here and edge.target not in seen:
                seen.add(edge.target)
                waiting.append(edge.target)
    return 0 in seen


@given(networks())
def test_a_cut_is_the_smallest_that_keeps_the_unwanted_out(network: tuple[ReachGraph, list[int], list[int]]) -> None:
    """Nobody unwanted gets through, nothing of the wanted is taken, and no smaller set does it: all are tried."""
    graph, unwanted, wanted = network
    cut = smallest_cut(graph, unwanted, wanted)
    removable = [edge for edge in graph.edges if edge.holder not in wanted]

    def closes(taken: tuple[Edge, ...]) -> bool:
        return not any(leads([e for e in graph.edges if e not in taken], person) for person in unwanted)

    sizes = (n for n in range(len(removable) + 1) if any(map(closes, itertools.combinations(removable, n))))
    smallest = next(sizes, None)
    assert cut.stays_open == (smallest is None)
    if smallest is not None:
        assert closes(cut.edges)
        assert len(cut.edges) == smallest
        assert not {edge.holder for edge in cut.edges} & set(wanted)
