"""The account by which we come to a host stays its administrator: without it nothing there could be undone."""

from collections.abc import Iterator

from adzeguard.core.change.guards.case import Case
from adzeguard.core.change.kinds.add_local_member import RemoveLocalMember
from adzeguard.core.change.kinds.own_account import DisableOwnAccount
from adzeguard.core.wellknown import ADMINISTRATORS
from adzeguard.core.wording import some_of


def lost_ways_in(case: Case) -> Iterator[str]:
    """Yield a reason for each account of ours that would administer its hosts no more, or be disabled there."""
    lost: dict[str, list[str]] = {}
    for change in case.changes:
        if isinstance(change, RemoveLocalMember) and change.group.sid == ADMINISTRATORS:
            member = change.member.sid
        elif isinstance(change, DisableOwnAccount):
            member = change.who.sid
        else:
            continue
        host = case.estate.hosts_by_name.get(change.host.casefold())
        account = case.comes_in_by.get(host.source, "") if host is not None else ""
        if not account or host is None or host.state is None or host.state.account_named(account) != member:
            continue
        if isinstance(change, RemoveLocalMember) and member in host.state.unlisted:
            continue  # it is an administrator by something else too
        lost.setdefault(account, []).append(host.name)
    for account, hosts in lost.items():
        yield (
            rf"local\{account} is the account by which adzeguard comes to {some_of(hosts)}: nothing could be undone "
            "there. Leave it inside, or come by another one"
        )
