"""SIDs of the domain that belong to nothing any more, where they still stand, and what takes them out."""

from collections.abc import Iterator, Sequence
from typing import Any

from adzeguard.core.access.shares import Shared, whole_path
from adzeguard.core.change.by_hand.objects import rights_change
from adzeguard.core.change.change import BY_HAND_RULE, Change
from adzeguard.core.change.kinds.add_local_member import RemoveLocalMember
from adzeguard.core.change.kinds.change_folder_rights import ChangeFolderRights
from adzeguard.core.change.kinds.elevation import EndElevation
from adzeguard.core.change.kinds.logon_refusal import EndRefusal
from adzeguard.core.descriptors.ace import Ace
from adzeguard.core.descriptors.descriptor import Descriptor, is_readable
from adzeguard.core.estate.elevation import elevations_of
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.gone import Gone
from adzeguard.core.estate.hosts import Host, HostState
from adzeguard.core.estate.logon import logon_of
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.names import local_group_named, on_host
from adzeguard.core.estate.places import short_dn
from adzeguard.core.identity import Sid
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Orphan:
    """One place where such a SID stands: over an object, on a share, a folder or a host, and what would take it out.

    A share itself is changed on its server alone, and a list of those alone let in by a rule, so nothing here takes
    these out.
    """

    sid: str
    what: str
    where: str
    detail: str
    change: Change | None = None


def orphans(estate: Estate, shared: Shared, why: str) -> Iterator[Orphan]:
    """Yield them, those over objects first. A SID of another domain may well be somebody there, and is left alone."""
    gone = Gone(estate)
    yield from _over_objects(estate, gone, why)
    yield from _on_shares(shared, gone, why)
    for host in estate.hosts:
        if host.state is not None:
            yield from _on_host(estate, host, host.state, gone, why)


def _over_objects(estate: Estate, gone: Gone, why: str) -> Iterator[Orphan]:
    for use in estate.catalogue.descriptor_uses():
        entries = _among(gone, _entries(use.raw), with_inherited=False)
        for one in estate.catalogue.principals(use.ids).values() if entries else ():
            for sid, some in entries.items():
                change = rights_change(Named.of(one), takes=some, why=why)
                yield Orphan(sid, "grant", short_dn(estate, one.dn), _counted(some), change)


def _on_shares(shared: Shared, gone: Gone, why: str) -> Iterator[Orphan]:
    for share in shared.shares:
        for sid, some in _among(gone, _entries(share.descriptor), with_inherited=True).items():
            yield Orphan(sid, "share", share.path, f"{_counted(some)} on the share itself: its server changes them")
        for folder in shared.folders.get(share, ()):
            for sid, some in _among(gone, _entries(folder.descriptor), with_inherited=True).items():
                taken_out = ChangeFolderRights(
                    server=share.server,
                    share=share.name,
                    path=folder.path,
                    takes=tuple(some),
                    rule=BY_HAND_RULE,
                    why=why,
                )
                yield Orphan(sid, "folder", whole_path(share, folder), _counted(some), taken_out)


def _on_host(estate: Estate, host: Host, state: HostState, gone: Gone, why: str) -> Iterator[Orphan]:
    """Yield members of local groups, refusals, lists of those alone let in, and elevations."""
    about: dict[str, Any] = {"host": host.name, "rule": BY_HAND_RULE, "why": why}

    def named(sid: Sid) -> Named:
        return Named.of(on_host(estate, state, host.name, [sid])[sid])

    for group in state.groups:
        for sid in sorted(filter(gone.holds, group.members)):
            local = local_group_named(host, group.name, group.sid)
            taken_out = RemoveLocalMember(group=local, member=named(sid), **about)
            yield Orphan(sid, "local-group", host.name, group.name, taken_out)
    rules = logon_of(state)
    for way, sids in rules.refused.items() if rules is not None else ():
        for sid in sorted(filter(gone.holds, sids)):
            yield Orphan(sid, "refusal", host.name, f"refused by {way}", EndRefusal(way=way, who=named(sid), **about))
    for way, sids in rules.alone.items() if rules is not None else ():
        for sid in sorted(filter(gone.holds, sids)):
            yield Orphan(sid, "refusal", host.name, f"alone let in by {way}: a rule with logon-only-by sets that")
    elevations = elevations_of(state)
    for one in sorted(elevations.granted) if elevations is not None else ():
        if gone.holds(one.who):
            end = EndElevation(
                program=one.program,
                sha256=one.sha256,
                who=named(one.who),
                arguments=one.arguments,
                until=one.until,
                **about,
            )
            yield Orphan(one.who, "elevation", host.name, one.program, end)


def _among(gone: Gone, entries: Sequence[Ace], *, with_inherited: bool) -> dict[str, list[Ace]]:
    """Return the entries of such SIDs.

    What an object has from above goes with what stands there. A folder has it as a copy, which stays.
    """
    found: dict[str, list[Ace]] = {}
    for entry in entries:
        if entry.sid is not None and (with_inherited or not entry.inherited) and gone.holds(entry.sid):
            found.setdefault(str(entry.sid), []).append(entry)
    return found


def _entries(raw: bytes) -> Sequence[Ace]:
    return Descriptor.from_bytes(raw).entries if raw and is_readable(raw) else ()


def _counted(entries: Sequence[Ace]) -> str:
    return f"{len(entries)} entr{'y' if len(entries) == 1 else 'ies'}"
