"""What somebody changes by hand on one host: its local groups and its own accounts."""

from collections.abc import Sequence

from adzeguard.core.change.change import BY_HAND_RULE, Change
from adzeguard.core.change.draft import Draft, LeftOut
from adzeguard.core.change.kinds.add_local_member import AddLocalMember, RemoveLocalMember
from adzeguard.core.change.kinds.own_account import DisableOwnAccount, EnableOwnAccount
from adzeguard.core.change.kinds.own_group import DeleteOwnGroup, MakeOwnGroup
from adzeguard.core.errors import GuardError, UnknownNameError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host, HostState, LocalGroup
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.names import local_group_named, on_host, resolve
from adzeguard.core.identity import Sid
from adzeguard.core.wellknown import ADMINISTRATORS, LOCAL_GROUPS
from adzeguard.core.wording import did_you_mean

_LOCAL = "local\\"


def members_on(estate: Estate, host: Host, group: str, members: Sequence[str], why: str, *, add: bool) -> Draft:
    r"""Return the changes that put members into a local group or take them out, and what needs no change.

    A member is named as everywhere in the directory, or as `local\name` of the host itself.
    """
    state = _state(host)
    found = _group(host, state, group)
    named = local_group_named(host, found.name, found.sid)
    changes: list[Change] = []
    left_out: list[LeftOut] = []
    for typed in members:
        sid = _sid(estate, host, state, typed)
        member = Named.of(on_host(estate, state, host.name, [sid])[sid])
        if (sid in found.members) == add:
            reason = "is a member already" if add else "is not a direct member"
            left_out.append(LeftOut(subject=named.name, member=member.name, rule=BY_HAND_RULE, reason=reason))
            continue
        by = state.unlisted.get(sid, "") if found.sid == ADMINISTRATORS else ""
        if by and not add:
            reason = f"is an administrator by {by}, and ends to be one there"
            left_out.append(LeftOut(subject=named.name, member=member.name, rule=BY_HAND_RULE, reason=reason))
            continue
        kind = AddLocalMember if add else RemoveLocalMember
        changes.append(kind(host=host.name, group=named, member=member, rule=BY_HAND_RULE, why=why))
    return Draft(tuple(changes), tuple(left_out))


def own_group(estate: Estate, host: Host, name: str, why: str, *, make: bool) -> Draft:
    """Return the change that makes a group of the host's own, or deletes it with all its members."""
    state = _state(host)
    found = state.group_named(name)
    about = {"host": host.name, "rule": BY_HAND_RULE, "why": why}
    if make and found is not None:
        raise GuardError([rf"{host.name} has a local group {found.name} already"])
    try:
        if make:
            return _supported(host, state, MakeOwnGroup(group=name, **about))
        found = found or _group(host, state, name)
        inside = on_host(estate, state, host.name, found.members)
        members = tuple(sorted((Named.of(inside[sid]) for sid in found.members), key=lambda one: one.name.casefold()))
        return _supported(host, state, DeleteOwnGroup(group=found.name, members=members, **about))
    except ValueError as error:  # the model says in its last line what is wrong with the name
        reason = str(error).splitlines()[-2].strip().removeprefix("Value error, ").partition(" [type=")[0]
        raise GuardError([reason]) from error


def own_account(host: Host, name: str, why: str, *, enable: bool) -> Draft:
    """Return the change that enables one of the host's own accounts, or disables it."""
    state = _state(host)
    sid = state.account_named(name.removeprefix(_LOCAL))
    account = next((account for account in state.accounts if account.sid == sid), None)
    if account is None:
        near = did_you_mean(name, [account.name for account in state.accounts])
        raise UnknownNameError(f"{host.name} has no account '{name}'{near}", f"See: adzeguard show {host.name}")
    kind = EnableOwnAccount if enable else DisableOwnAccount
    who = Named(rf"{host.name}\{account.name}", account.sid)
    if account.enabled == enable:
        reason = "is so already"
        return Draft((), (LeftOut(subject=host.name, member=who.name, rule=BY_HAND_RULE, reason=reason),))
    return _supported(host, state, kind(host=host.name, who=who, rule=BY_HAND_RULE, why=why))


def local_group(host: Host, name: str) -> Named:
    """Return a local group of a host by the name that every host knows, or by its own; `UnknownNameError` for none."""
    found = _group(host, _state(host), name)
    return local_group_named(host, found.name, found.sid)


def _supported(host: Host, state: HostState, change: Change) -> Draft:
    lacking = change.lacking(state)
    if lacking:
        raise GuardError([f"unsupported: {host.name} has {state.unsupported(lacking)}"])
    return Draft.of([change])


def _state(host: Host) -> HostState:
    if host.state is None:
        raise UnknownNameError(f"nothing is known of {host.name}: {host.why_unknown}", "Run: adzeguard collect")
    return host.state


def _group(host: Host, state: HostState, name: str) -> LocalGroup:
    typed = name.removeprefix(_LOCAL)
    sid = LOCAL_GROUPS.get(typed.casefold())
    found = (state.group(sid) if sid else None) or state.group_named(typed)
    if found is None:
        near = did_you_mean(typed, [group.name for group in state.groups])
        raise UnknownNameError(f"{host.name} has no local group '{name}'{near}", f"See: adzeguard show {host.name}")
    return found


def _sid(estate: Estate, host: Host, state: HostState, typed: str) -> Sid:
    if typed.casefold().startswith(_LOCAL):
        name = typed[len(_LOCAL) :]
        group = state.group_named(name)
        sid = state.account_named(name) or (group.sid if group else None)
        if sid is None:
            raise UnknownNameError(f"{host.name} has no account or group '{name}'", f"See: adzeguard show {host.name}")
        return sid
    member = resolve(estate, typed)
    if not member.sid:
        raise UnknownNameError(f"'{typed}' has no SID, and a host cannot know it", "Name an account or a group")
    return Sid(member.sid)
