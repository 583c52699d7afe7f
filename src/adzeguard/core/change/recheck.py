"""A proposal that comes from a file is believed in nothing: what it says is held against what stands."""

from collections.abc import Iterator, Sequence
from typing import Final

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.add_member import RemoveMember
from adzeguard.core.change.kinds.create_object import CreateObject
from adzeguard.core.change.kinds.membership import LocalMembershipChange
from adzeguard.core.change.kinds.move_object import MoveObject
from adzeguard.core.change.kinds.object_change import values_of
from adzeguard.core.change.kinds.set_attributes import SetAttributes
from adzeguard.core.change.kinds.set_note import IN_PROPOSALS, SetNote, written_note
from adzeguard.core.change.proposal import Proposal
from adzeguard.core.change.reach_impact import Privilege, weighed
from adzeguard.core.change.words import kind_made, with_words
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import Named, id_of
from adzeguard.core.estate.names import local_group_named, on_host
from adzeguard.core.estate.objects import outsider
from adzeguard.core.estate.principal import Kind
from adzeguard.core.identity import Sid, fold_dn, leaf_name
from adzeguard.core.time.put_away import Retired

_MADE_WITH: Final = frozenset({"objectclass", "samaccountname", "grouptype", "description", "mail", "managedby"})
"""What a new group or OU may begin with. Anything else could be a member, a right or a key in disguise."""
_MADE_KINDS: Final = (Kind.GROUP, Kind.OU)


def misstatements(privilege: Privilege, proposal: Proposal) -> Iterator[str]:
    """Yield each thing that the proposal says otherwise than it is: names, words, what it makes, what it comes to.

    Every name is looked up again by its SID, or by its DN where it has none; only words and impact that come out the
    same are what people were shown.
    """
    rights, estate = privilege.rights, privilege.rights.estate
    making = {fold_dn(c.object.dn): c for c in proposal.changes if isinstance(c, CreateObject)}
    untrue = [said for change in proposal.changes for said in _untrue_names(estate, making, change)]
    untrue += [said for change in proposal.changes for said in _untrue_note(estate, change, proposal.changes)]
    yield from untrue
    if untrue:
        return
    for change, worded in zip(proposal.changes, with_words(rights, proposal.changes), strict=True):
        if change != worded:
            yield f"{change.id} says '{change.in_words()}', and would {worded.in_words()}"
    if weighed(privilege, proposal.changes) != proposal.impact:
        yield "who gains and who loses by it is not what the file says"


def _untrue_names(estate: Estate, making: dict[str, CreateObject], change: Change) -> Iterator[str]:
    if isinstance(change, SetNote) and change.table in IN_PROPOSALS:
        return
    if change.in_person:
        yield f"{change.id} would {change.in_words()}, which is asked for in person and never out of a file"
        return
    if isinstance(change, LocalMembershipChange):
        yield from _untrue_on_host(estate, change)
        return
    if change.host_name:
        yield from _untrue_of_setting(estate, change)
        return
    if isinstance(change, CreateObject):
        yield from _not_to_be_made(estate, change)
    for one in change.identities():
        yield from _untrue(change, one, _as_it_is(estate, making, one))


def _untrue_note(estate: Estate, change: Change, beside: Sequence[Change]) -> Iterator[str]:
    """Yield what the note of something put away says otherwise than it is, or than is done beside it.

    It tells afterwards where the thing goes back to, and into which groups.
    """
    if not isinstance(change, SetNote) or change.table not in IN_PROPOSALS:
        return
    note = written_note("retired", change.after or change.before or {})
    if not isinstance(note, Retired):
        return
    if change.after is None:
        if not any(isinstance(one, MoveObject) and one.object.sid == note.sid for one in beside):
            yield f"{change.id} forgets that {note.name} is put away, and does not move it"
        return
    known = id_of(estate, Named(note.name, note.sid, note.dn))
    thing = estate.principal(known) if known is not None else None
    left = {one.group.sid for one in beside if isinstance(one, RemoveMember) and one.member.sid == note.sid}
    set_there = {fold_dn(one.object.dn) for one in beside if isinstance(one, SetAttributes)}
    moved = {fold_dn(one.to) for one in beside if isinstance(one, MoveObject) and one.object.sid == note.sid}
    if (
        thing is None
        or (thing.qualified_name, fold_dn(thing.dn), thing.enabled) != (note.name, fold_dn(note.dn), note.enabled)
        or not set(note.groups) <= left
        or not {fold_dn(link.dn) for link in note.links} <= set_there
        or not (fold_dn(note.now) in moved or thing.kind == Kind.POLICY)
    ):
        yield f"{change.id} notes of {note.name} what it is not, or what the proposal does not do"


def _untrue(change: Change, said: Named, true: Named | None) -> Iterator[str]:
    if true is None:
        yield f"{change.id} names '{said.name}' ({said.sid or said.dn}), which is not there"
    elif said != true:
        told = f"{said.name}, {said.dn}" if said.name == true.name else said.name
        is_told = f"{true.name}, {true.dn}" if said.name == true.name else true.name
        yield f"{change.id} says '{told}', and {true.sid or true.dn} is '{is_told}'"


def _as_it_is(estate: Estate, making: dict[str, CreateObject], named: Named) -> Named | None:
    if named.made:
        made = making.get(fold_dn(named.dn))
        return made.object if made is not None and not named.sid else None
    known = id_of(estate, named)
    if known is not None:
        return Named.of(estate.principal(known))
    stranger = outsider(Sid(named.sid)) if named.sid else None
    return Named.of(stranger) if stranger is not None else None


def _untrue_on_host(estate: Estate, change: LocalMembershipChange) -> Iterator[str]:
    host = estate.hosts_by_name.get(change.host.casefold())
    if host is None or host.state is None:
        yield f"{change.id} names the host '{change.host}', of which nothing is known"
        return
    group = host.state.group(change.group_sid)
    true = local_group_named(host, group.name, group.sid) if group is not None else None
    yield from _untrue(change, change.group, true)
    member = on_host(estate, host.state, host.name, [change.member_sid])[change.member_sid]
    yield from _untrue(change, change.member, Named.of(member))


def _untrue_of_setting(estate: Estate, change: Change) -> Iterator[str]:
    host = estate.hosts_by_name.get(change.host_name.casefold())
    if host is None or host.state is None:
        yield f"{change.id} names the host '{change.host_name}', of which nothing is known"
        return
    named = change.identities()
    if not all(one.sid for one in named):
        yield f"{change.id} names somebody without a SID, whom a host cannot know"
        return
    true = on_host(estate, host.state, host.name, {Sid(one.sid) for one in named})
    for one in named:
        yield from _untrue(change, one, Named.of(true[Sid(one.sid)]))


def _not_to_be_made(estate: Estate, change: CreateObject) -> Iterator[str]:
    odd = sorted({a.name for a in change.attributes if a.name.casefold() not in _MADE_WITH})
    if kind_made(change) not in _MADE_KINDS or odd:
        yield f"{change.id} makes something else than a group or an OU{' with ' + ', '.join(odd) if odd else ''}"
    if change.was:
        yield f"{change.id} brings back what was deleted, which undo alone does"
    account = values_of(change.attributes, "sAMAccountName")
    name = account[0].decode("utf-8", "replace") if account else ""
    true = rf"{estate.domain.holding(change.object.dn).short_name}\{name}" if name else leaf_name(change.object.dn)
    if change.object != Named(true, dn=change.object.dn, made=True):
        yield f"{change.id} says '{change.object.name}', and makes '{true}'"
