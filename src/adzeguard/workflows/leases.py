"""Leases: begun, and ended with the changes that this takes."""

from collections.abc import Iterable, Sequence
from dataclasses import replace
from datetime import datetime
from typing import Any

from adzeguard.core.change.change import BY_HAND_RULE, Change
from adzeguard.core.change.kinds.add_ending_member import AddEndingMember
from adzeguard.core.change.kinds.add_local_member import AddLocalMember, RemoveLocalMember
from adzeguard.core.change.kinds.add_member import AddMember, RemoveMember
from adzeguard.core.change.kinds.set_member_end import SetMemberEnd
from adzeguard.core.errors import UnknownNameError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import Named, is_listed
from adzeguard.core.time.lease import ENDS, Lease, last_end, takes_away
from adzeguard.core.wording import did_you_mean, when_utc
from adzeguard.store.leases import Leases


def is_inside(estate: Estate, lease: Lease) -> bool:
    """Tell whether the membership of a lease stands now."""
    if lease.host:
        host = estate.hosts_by_name.get(lease.host.casefold())
        group = host.state.group(lease.group_sid) if host is not None and host.state is not None else None
        return group is not None and lease.member_sid in group.members
    return is_listed(estate, lease.group_sid, lease.member_sid)


def ending(estate: Estate, ends: Sequence[Lease], leases: Iterable[Lease]) -> list[Change]:
    """Return the changes that take away what these leases gave, as far as it stands and nothing else gives it."""
    others = [one for one in leases if one.id not in {end.id for end in ends}]
    changes: dict[tuple[str, str, str], Change] = {}
    for lease in ends:
        if takes_away(lease, others) and is_inside(estate, lease):
            changes.setdefault(lease.pair, _removal(estate, lease))
            continue
        last = max((one.until for one in others if one.is_open and one.pair == lease.pair), default=lease.until)
        if last < lease.until:
            for change in end_moved(estate, replace(lease, until=last), lease.until, others):
                changes.setdefault(lease.pair, change)
    return list(changes.values())


def giving(estate: Estate, lease: Lease) -> list[Change]:
    """Return the change that gives what a lease is about; an empty list if it stands."""
    if is_inside(estate, lease):
        return []
    about = _about(estate, lease)
    about["why"] = f"lease {lease.id} until {when_utc(lease.until)}{f': {lease.why}' if lease.why else ''}"
    if lease.by_itself:
        return [AddEndingMember(**about, ends=lease.until)]
    return [AddLocalMember(host=lease.host, **about) if lease.host else AddMember(**about)]


def end_moved(estate: Estate, lease: Lease, before: datetime | None, leases: Iterable[Lease]) -> list[Change]:
    """Return the change that lets the directory end a membership with the last of the leases that give it.

    `before` is when it would end now, an empty list if it would not. What stood before any lease gets no end.
    """
    ends = last_end(lease, leases)
    if lease.host or not lease.by_itself or lease.stood_before or ends == before or not is_inside(estate, lease):
        return []
    about = _about(estate, lease) | {"why": f"lease {lease.id}{f': {lease.why}' if lease.why else ''}"}
    return [SetMemberEnd(**about, ends=ends, before=before)]


def ended_in_time(estate: Estate, leases: Iterable[Lease]) -> list[Change]:
    """Return the removal of each membership that nothing but a lease gives, whoever ends it."""
    return [_removal(estate, one) for one in leases if one.is_open and not one.stood_before and is_inside(estate, one)]


def _removal(estate: Estate, lease: Lease) -> Change:
    about = _about(estate, lease)
    about["why"] = f"{ENDS.format(lease.id)}{f': {lease.why}' if lease.why else ''}"
    return RemoveLocalMember(host=lease.host, **about) if lease.host else RemoveMember(**about)


def _about(estate: Estate, lease: Lease) -> dict[str, Any]:
    group, member = _named(estate, lease)
    return {"group": group, "member": member, "rule": BY_HAND_RULE}


def _named(estate: Estate, lease: Lease) -> list[Named]:
    """Return the group and the member as they are called today."""
    told = (Named(lease.group, lease.group_sid), Named(lease.member, lease.member_sid))
    sids = ("" if lease.host else lease.group_sid, lease.member_sid)
    known = [estate.id_of_sid(sid) if sid else None for sid in sids]
    there = estate.catalogue.principals(i for i in known if i is not None)
    return [Named.of(there[i]) if i is not None and i in there else one for i, one in zip(known, told, strict=True)]


def note_ended(table: Leases, ends: Iterable[Lease], estate: Estate, at: datetime) -> list[Lease]:
    """Write down of each that has ended whose membership is gone, or not given by it alone; return the others."""
    left = []
    everything = table.all()
    for lease in ends:
        others = [one for one in everything if one.id != lease.id]
        stands = is_inside(estate, lease) or _is_unread(estate, lease)
        if stands and takes_away(lease, others):
            left.append(lease)
        else:
            table.write(replace(lease, state="ended", ended=at))
    return left


def _is_unread(estate: Estate, lease: Lease) -> bool:
    """Tell whether nothing is known of the host of a lease, since no source takes it any more: it may stand there."""
    host = estate.hosts_by_name.get(lease.host.casefold()) if lease.host else None
    return host is not None and host.state is None


def _is_known_gone(estate: Estate, lease: Lease) -> bool:
    """Tell whether a membership was seen not to stand: what nobody could read, or finds no more, tells nothing."""
    if lease.host:
        host = estate.hosts_by_name.get(lease.host.casefold())
        was_read = host is not None and host.state is not None and not host.trouble
        return was_read and not is_inside(estate, lease)
    both = estate.id_of_sid(lease.group_sid), estate.id_of_sid(lease.member_sid)
    return None not in both and not is_inside(estate, lease)


def end_what_was_taken_out(table: Leases, estate: Estate, now: datetime) -> list[Lease]:
    """End the leases whose membership somebody else has taken away: what is given by hand afterwards is none of theirs.

    One that is over is left to the round, which knows who has ended it.
    """
    gone = [one for one in table.all() if one.state == "running" and one.until > now and _is_known_gone(estate, one)]
    for lease in gone:
        table.write(replace(lease, state="ended", ended=now))
    return gone


def lease_named(leases: Iterable[Lease], name: str) -> Lease:
    """Return an open lease by its id; `UnknownNameError` where there is none."""
    known = {one.id.casefold(): one for one in leases if one.is_open}
    found = known.get(name.casefold())
    if found is None:
        near = did_you_mean(name, [one.id for one in known.values()])
        raise UnknownNameError(f"no open lease is called '{name}'{near}", "See: adzeguard lease list")
    return found
