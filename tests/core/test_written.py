"""Changes as they are written, ordered and taken back, whatever they hold."""

import json
from datetime import UTC, datetime, timedelta
from importlib import import_module
from itertools import pairwise
from pkgutil import iter_modules

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from adzeguard.core.change import kinds
from adzeguard.core.change.change import Change, value_text
from adzeguard.core.change.inverse import inverse_changes
from adzeguard.core.change.kinds.add_ending_member import AddEndingMember
from adzeguard.core.change.kinds.add_local_member import AddLocalMember, RemoveLocalMember
from adzeguard.core.change.kinds.add_member import AddMember, RemoveMember
from adzeguard.core.change.kinds.change_folder_rights import ChangeFolderRights
from adzeguard.core.change.kinds.change_rights import ChangeRights
from adzeguard.core.change.kinds.create_object import CreateObject, DeleteObject
from adzeguard.core.change.kinds.elevation import EndElevation, GiveElevation
from adzeguard.core.change.kinds.logon_refusal import EndRefusal, RefuseLogon
from adzeguard.core.change.kinds.move_object import MoveObject
from adzeguard.core.change.kinds.object_change import AttributeChange
from adzeguard.core.change.kinds.own_account import DisableOwnAccount, EnableOwnAccount
from adzeguard.core.change.kinds.own_group import DeleteOwnGroup, MakeOwnGroup
from adzeguard.core.change.kinds.set_account_control import SetAccountControl
from adzeguard.core.change.kinds.set_attributes import SetAttributes
from adzeguard.core.change.kinds.set_fact import SetFact
from adzeguard.core.change.kinds.set_logon_alone import SetLogonAlone
from adzeguard.core.change.kinds.set_member_end import SetMemberEnd
from adzeguard.core.change.kinds.set_note import SetNote, set_note
from adzeguard.core.change.kinds.set_notice import SetNotice
from adzeguard.core.change.kinds.set_primary_group import SetPrimaryGroup
from adzeguard.core.change.kinds.switch_on_ending_links import SwitchOnEndingLinks
from adzeguard.core.change.kinds.table import CHANGE_KINDS, change_kind
from adzeguard.core.change.order import in_order
from adzeguard.core.change.written import read_proposal
from adzeguard.core.change.written_change import read_change
from adzeguard.core.descriptors.ace import Ace
from adzeguard.core.errors import AdzeguardError, ProposalFileError
from adzeguard.core.estate.named import Named
from adzeguard.core.identity import Sid
from adzeguard.core.time.lease import Lease

NAMES = st.text(st.characters(exclude_categories=["Cs"]), min_size=1, max_size=12)
SIDS = st.integers(1000, 1009).map(lambda rid: f"S-1-5-21-1-1-1-{rid}")
NAMED = st.builds(Named, NAMES, SIDS, NAMES)
VALUES = st.lists(st.binary(max_size=20), max_size=3).map(tuple)
ATTRIBUTES = st.lists(
    st.builds(AttributeChange, name=st.sampled_from(["info", "mail", "objectSid"]), before=VALUES, after=VALUES),
    min_size=1,
    max_size=3,
).map(tuple)


def allowing(rid: int, mask: int) -> Ace:
    """An entry that allows something to somebody, by its bytes ([MS-DTYP] 2.4.4.2)."""
    who = Sid(f"S-1-5-21-1-1-1-{rid}").to_bytes()
    size = 8 + len(who)
    return Ace.from_bytes(bytes([0, 2]) + size.to_bytes(2, "little") + mask.to_bytes(4, "little") + who)


PLAIN = st.text(st.characters(exclude_categories=["Cs", "Cc"]), max_size=12)
ENTRIES = st.builds(allowing, st.integers(500, 2000), st.integers(1, 0xF01FF))
ABOUT = {"rule": NAMES, "why": st.text(st.characters(exclude_categories=["Cs"]), max_size=8)}
MEMBERSHIP = ABOUT | {"group": NAMED, "member": NAMED}
OBJECT = ABOUT | {"object": NAMED, "words": NAMES}
WAYS = st.sampled_from(["console", "remote", "network", "service", "batch"])
LISTED = st.none() | st.lists(NAMED, max_size=2).map(tuple)
SOMEBODY = ABOUT | {"host": NAMES, "who": NAMED}
ELEVATION = SOMEBODY | {"program": NAMES, "sha256": st.sampled_from(["a1" * 32, "9f" * 32]), "arguments": NAMES}
OWN_GROUP = ABOUT | {
    "host": NAMES,
    "group": st.from_regex(r"[A-Za-z][A-Za-z0-9 -]{0,20}[A-Za-z0-9]", fullmatch=True),
    "members": st.lists(NAMED, max_size=2).map(tuple),
}
ENDS = st.integers(0, 10**9).map(lambda seconds: datetime(2026, 1, 1, tzinfo=UTC) + timedelta(seconds=seconds))
LEASE = st.builds(
    Lease,
    st.just("L1"),
    NAMES,
    SIDS,
    NAMES,
    SIDS,
    st.just(""),
    ENDS,
    ENDS,
    NAMES,
    NAMES,
    st.sampled_from(["running", "ended"]),
)
MADE: dict[type[Change], st.SearchStrategy[Change]] = {
    AddMember: st.builds(AddMember, **MEMBERSHIP),
    AddEndingMember: st.builds(AddEndingMember, **MEMBERSHIP, ends=ENDS),
    SetMemberEnd: st.builds(SetMemberEnd, **MEMBERSHIP, before=st.none() | ENDS, ends=st.none() | ENDS),
    SwitchOnEndingLinks: st.builds(SwitchOnEndingLinks, **ABOUT, domain=NAMES),
    RemoveMember: st.builds(RemoveMember, **MEMBERSHIP),
    SetPrimaryGroup: st.builds(SetPrimaryGroup, **MEMBERSHIP, before=NAMED.map(lambda named: named.sid)),
    AddLocalMember: st.builds(AddLocalMember, **MEMBERSHIP, host=NAMES),
    RemoveLocalMember: st.builds(RemoveLocalMember, **MEMBERSHIP, host=NAMES),
    CreateObject: st.builds(CreateObject, **OBJECT, attributes=ATTRIBUTES),
    DeleteObject: st.builds(DeleteObject, **OBJECT, attributes=ATTRIBUTES),
    SetAttributes: st.builds(SetAttributes, **OBJECT, attributes=ATTRIBUTES),
    MoveObject: st.builds(MoveObject, **OBJECT, to=st.just("OU=Quay,DC=lowmere,DC=example")),
    RefuseLogon: st.builds(RefuseLogon, **SOMEBODY, way=WAYS),
    EndRefusal: st.builds(EndRefusal, **SOMEBODY, way=WAYS),
    SetLogonAlone: st.builds(SetLogonAlone, **ABOUT, host=NAMES, way=WAYS, before=LISTED, after=LISTED),
    SetNote: st.builds(set_note, st.none() | LEASE, LEASE, NAMES),
    SetFact: st.builds(
        SetFact, **ABOUT, host=NAMES, setting=st.just("idle-end"), name=PLAIN, before=PLAIN, after=PLAIN
    ),
    SetNotice: st.builds(SetNotice, **ABOUT, host=NAMES, title_before=NAMES, title=NAMES, text=NAMES),
    GiveElevation: st.builds(GiveElevation, **ELEVATION),
    EndElevation: st.builds(EndElevation, **ELEVATION),
    SetAccountControl: st.builds(
        SetAccountControl,
        **OBJECT,
        control=st.sampled_from(["not-delegated", "smart-card", "password-kept", "disabled"]),
        on=st.booleans(),
    ),
    DisableOwnAccount: st.builds(DisableOwnAccount, **SOMEBODY),
    EnableOwnAccount: st.builds(EnableOwnAccount, **SOMEBODY),
    MakeOwnGroup: st.builds(MakeOwnGroup, **OWN_GROUP),
    DeleteOwnGroup: st.builds(DeleteOwnGroup, **OWN_GROUP),
    ChangeRights: st.builds(ChangeRights, **OBJECT, gives=st.lists(ENTRIES, max_size=2).map(tuple)),
    ChangeFolderRights: st.builds(
        ChangeFolderRights,
        **ABOUT,
        server=NAMES,
        share=NAMES,
        path=NAMES,
        takes=st.lists(ENTRIES, max_size=2).map(tuple),
    ),
}
CHANGES = st.one_of(*MADE.values())


def test_every_kind_of_change_is_drawn_here() -> None:
    """A kind that is added to the table and not to these properties, or to none of both, fails here."""
    files = [import_module(f"{kinds.__name__}.{file.name}") for file in iter_modules(kinds.__path__)]
    found = {
        kind for file in files for kind in vars(file).values() if isinstance(kind, type) and issubclass(kind, Change)
    }
    assert set(MADE) == {change_kind(name) for name in CHANGE_KINDS}
    assert set(MADE) == {kind for kind in found if isinstance(kind.model_fields["kind"].default, str)}


@given(CHANGES)
def test_a_change_is_read_as_it_was_written(change: Change) -> None:
    """Through JSON and back nothing is lost of any kind: names of any script, binary values, entries of descriptors."""
    assert read_change(json.loads(change.model_dump_json())) == change


@given(
    CHANGES, st.sampled_from(["kind", "rule", "group", "object", "member", "why"]), st.sampled_from([None, 7, [], {}])
)
def test_a_change_with_a_strange_part_is_an_error_of_ours(change: Change, part: str, value: object) -> None:
    """Whatever stands where text or a name should is refused in words, and never taken for something else."""
    assume(value is not None or not isinstance(change, SetNote))  # a note need be about no group
    raw = json.loads(change.model_dump_json())
    raw[part] = value
    with pytest.raises(ProposalFileError):
        read_change(raw)


@given(
    st.binary(max_size=200)
    | st.recursive(
        st.none() | st.booleans() | st.text(),
        lambda inner: (
            st.lists(inner) | st.dictionaries(st.sampled_from(["proposal", "plan", "changes", "kind", "a"]), inner)
        ),
        max_leaves=8,
    ).map(lambda value: json.dumps(value).encode())
)
def test_any_bytes_are_a_proposal_or_an_error_of_ours(text: bytes) -> None:
    """A proposal file is read from anywhere: noise, and JSON of another shape, end in one line."""
    with pytest.raises(AdzeguardError) as caught:
        read_proposal(text, "p.json")
    assert caught.value.message.startswith("p.json: not a proposal: ")
    assert "\n" not in caught.value.message


@given(st.binary(max_size=40))
def test_a_value_is_written_as_text_only_where_it_reads_back_the_same(value: bytes) -> None:
    """Printable text stays readable for whoever reviews the file; everything else is told by its mark."""
    change = AttributeChange(name="info", after=(value,))
    assert AttributeChange.model_validate_json(change.model_dump_json()).after == (value,)
    assert value_text(value).isprintable()


@given(st.lists(CHANGES, max_size=12), st.randoms())
def test_the_order_puts_every_new_way_in_before_an_old_one_goes(changes: list[Change], random: object) -> None:
    """Kinds follow their order, the directory goes before the hosts, numbers go up, and twins are made once."""
    ordered = in_order(changes)
    assert [change.order for change in ordered] == sorted(change.order for change in ordered)
    for one, other in pairwise(ordered):
        assert one.order < other.order or bool(one.host_name) <= bool(other.host_name)
    assert [change.id for change in ordered] == [f"c{number:05}" for number in range(1, len(ordered) + 1)]
    assert len(ordered) == len({(change.kind, *change.key) for change in changes})


@given(CHANGES)
def test_what_is_taken_back_twice_stands_again(change: Change) -> None:
    """The inverse of the inverse changes the same thing to the same; what is no change has no inverse."""
    groups = {f"S-1-5-21-1-1-1-{rid}": Named(f"g{rid}", f"S-1-5-21-1-1-1-{rid}") for rid in range(1000, 1010)}
    back = inverse_changes([change], groups)
    assert len(back) <= 1
    for inverse in back:
        assert inverse.host_name == change.host_name
        assert inverse.rule == "undo"
        assert change.in_words() in inverse.why
