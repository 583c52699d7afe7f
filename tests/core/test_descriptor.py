"""Security descriptors: exact round trips, canonical places, inheritance, hostile bytes."""

import uuid
from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.change.by_hand.objects import rights_change
from adzeguard.core.change.kinds.change_rights import ChangeRights
from adzeguard.core.descriptors.ace import Ace, AceFlag, AceKind, Right, without_generic
from adzeguard.core.descriptors.built_in import descriptor_as_it_knows, descriptor_told_apart
from adzeguard.core.descriptors.descriptor import AceList, Descriptor, canonical_rank, out_of_order
from adzeguard.core.descriptors.inheritance import handed_on, inherited_entries
from adzeguard.core.errors import InputError
from adzeguard.core.estate.catalogue import Domain
from adzeguard.core.estate.named import Named
from adzeguard.core.identity import Sid

SIDS = [Sid(text) for text in ("S-1-1-0", "S-1-5-11", "S-1-3-0", "S-1-5-21-1-2-3-1103", "S-1-5-32-544")]
CLASSES = [uuid.UUID(int=n) for n in range(1, 4)]
OWNER = SIDS[3]
ISLE = Domain("DC=isle,DC=example", "isle.example", "ISLE", Sid("S-1-5-21-4-5-6")).beside()
ANY_FLAGS = st.integers(0, 31)


@st.composite
def aces(draw: st.DrawFn, flags: st.SearchStrategy[int] = ANY_FLAGS) -> Ace:
    """Any entry that grants or denies."""
    kind = draw(st.sampled_from(list(AceKind)))
    types = [None, None]
    if "OBJECT" in kind.name:
        types = [draw(st.sampled_from([None, *CLASSES])) for _ in types]
    tail = draw(st.sampled_from([b"", b"artx"])) if "CALLBACK" in kind.name else b""
    return Ace(kind, draw(flags), draw(st.integers(0, 2**32 - 1)), draw(st.sampled_from(SIDS)), *types, tail)


@st.composite
def descriptors(draw: st.DrawFn) -> Descriptor:
    """Any descriptor whose parts stand one after the other."""
    dacl = draw(st.none() | st.lists(aces(), max_size=6).map(lambda a: AceList(tuple(a))))
    layout = tuple(draw(st.permutations(["owner", "group", "sacl", "dacl"])))
    owners = st.none() | st.sampled_from(SIDS)
    return Descriptor(draw(owners), draw(owners), dacl, control=draw(st.integers(0, 0xFFFF)), layout=layout)


@given(descriptors())
def test_decoding_and_encoding_changes_no_byte(descriptor: Descriptor) -> None:
    """What was encoded decodes to the same entries and encodes to the same bytes, whatever the order of the parts."""
    raw = descriptor.to_bytes()
    again = Descriptor.from_bytes(raw)
    assert again.to_bytes() == raw
    assert (again.owner, again.group, again.entries) == (descriptor.owner, descriptor.group, descriptor.entries)


@given(descriptors())
def test_built_in_groups_of_another_domain_are_told_apart_and_written_as_it_knows_them(descriptor: Descriptor) -> None:
    """Every SID of such a group says its domain, nothing else differs, and back again it is the same bytes."""
    raw = descriptor.to_bytes()
    apart = descriptor_told_apart(raw, ISLE)
    read = Descriptor.from_bytes(apart)
    there = [sid and Sid(sid.replace("S-1-5-32-", "S-1-5-32-4-5-6-")) for sid in (descriptor.owner, descriptor.group)]
    assert [read.owner, read.group] == there
    for was, now in zip(descriptor.entries, read.entries, strict=True):
        assert now == replace(was, sid=was.sid and Sid(was.sid.replace("S-1-5-32-", "S-1-5-32-4-5-6-")))
    assert descriptor_as_it_knows(apart, ISLE) == raw


@given(descriptors(), st.lists(st.tuples(st.integers(0, 400), st.integers(0, 255)), max_size=4), st.integers(0, 400))
def test_damaged_bytes_are_refused_or_kept_as_they_are(
    descriptor: Descriptor, changes: list[tuple[int, int]], length: int
) -> None:
    """What was cut short or overwritten is an input error, or comes back byte for byte."""
    raw = bytearray(descriptor.to_bytes())
    for place, value in changes:
        raw[place % len(raw)] = value
    damaged = bytes(raw[:length] if length else raw)
    try:
        read = Descriptor.from_bytes(damaged)
    except InputError:
        return
    assert read.to_bytes() == damaged


@given(st.lists(aces(), max_size=6, unique=True), st.lists(aces(), max_size=3, unique=True))
def test_putting_entries_in_and_taking_them_out_gives_the_same_bytes(standing: list[Ace], fresh: list[Ace]) -> None:
    """New entries stand at their canonical place, and nothing else moves, in order or not."""
    fresh = [entry for entry in fresh if entry not in standing]
    before = Descriptor(OWNER, OWNER, AceList(tuple(standing)))
    ordered = Descriptor(OWNER, OWNER, AceList(tuple(sorted(standing, key=canonical_rank))))
    for descriptor in (before, ordered):
        after = descriptor.with_changes(fresh, [])
        assert after.with_changes([], fresh).to_bytes() == descriptor.to_bytes()
    ranks = [canonical_rank(entry) for entry in ordered.with_changes(fresh, []).entries]
    assert ranks == sorted(ranks)


@given(st.lists(aces(), max_size=8, unique=True), st.lists(aces(), max_size=3, unique=True), st.data())
def test_entries_that_were_taken_out_stand_again_where_they_stood(
    standing: list[Ace], fresh: list[Ace], data: st.DataObject
) -> None:
    """Undone, a list in order is the same to the byte, though its like stand beside it; no place breaks the order."""
    before = Descriptor(OWNER, OWNER, AceList(tuple(sorted(standing, key=canonical_rank))))
    takes = data.draw(st.lists(st.sampled_from(standing), unique=True)) if standing else []
    gives = [entry for entry in fresh if entry not in standing]
    change = rights_change(Named("Quay", "S-1-5-21-1-2-3-4", "OU=Quay"), gives=gives, takes=takes)
    noted = change.noting_places(before)
    back = noted.taken_back(noted, {})
    assert isinstance(back, ChangeRights)
    assert back.made_in(noted.made_in(before)).to_bytes() == before.to_bytes()
    anywhere = data.draw(st.lists(st.integers(-2, 20), min_size=len(gives), max_size=len(gives)))
    ranks = [canonical_rank(entry) for entry in before.with_changes(gives, [], anywhere).entries]
    assert ranks == sorted(ranks)


@given(st.lists(aces(), max_size=5), st.sampled_from([None, *CLASSES]))
def test_what_a_child_takes_over_is_marked_and_never_more_than_its_container_gives(
    parent: list[Ace], child_class: uuid.UUID | None
) -> None:
    """Inherited entries come only from entries that are handed on, carry the mark, and mean something for the class."""
    taken = inherited_entries(parent, child_class, OWNER)
    givers = [e for e in parent if e.flags & AceFlag.CONTAINER_INHERIT]
    assert all(e.inherited for e in taken)
    assert len(taken) <= 2 * len(givers)
    for entry in taken:
        if not entry.inherit_only:
            assert entry.inherited_type in (None, child_class)
            assert any(without_generic(e.mask) == without_generic(entry.mask) for e in givers)


@given(st.lists(aces(st.just(2)), max_size=4, unique=True), aces(st.just(2)), st.lists(aces(st.just(0)), max_size=3))
def test_a_child_follows_its_container_and_keeps_its_own(parent: list[Ace], fresh: Ace, own: list[Ace]) -> None:
    """A new entry above reaches the child, goes again when it is taken away, and the child's own stay first."""
    child = Descriptor(OWNER, OWNER, None).with_entries([*own, *inherited_entries(parent, None, OWNER)])
    with_fresh = [*parent, fresh]
    changed = handed_on(parent, with_fresh, child, None)
    assert set(inherited_entries(with_fresh, None, OWNER)) <= set(changed.entries)
    assert changed.entries[: len(own)] == tuple(own)
    assert handed_on(with_fresh, parent, changed, None).entries == child.entries


def test_denials_behind_grants_are_told() -> None:
    """A denial of the object's own that comes after a grant is out of order; an inherited one is not."""
    grant = Ace(AceKind.ALLOW, 0, int(Right.DELETE), SIDS[0])
    denial = Ace(AceKind.DENY, 0, int(Right.DELETE), SIDS[1])
    assert out_of_order([denial, grant]) == []
    assert out_of_order([grant, denial]) == [denial]
    assert out_of_order([grant, denial.with_flags(AceFlag.INHERITED)]) == []
