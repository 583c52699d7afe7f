"""Accounts of hosts themselves that should not be there, or not be enabled."""

from collections.abc import Iterator, Sequence
from typing import Final

from adzeguard.core.checks.check_input import CheckInput
from adzeguard.core.checks.finding import Finding
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.names import host_named
from adzeguard.core.wellknown import RID_GUEST
from adzeguard.core.wording import some_of

_FIRST_OF_PEOPLE: Final = 1000
"""The lowest RID of an account that somebody made ([MS-SAMR] 3.1.1.9.1); below are those of every host."""
_MANY_HOSTS: Final = 3


def local_accounts(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield each guest that is enabled, and each account that is enabled on many hosts under one name."""
    names: dict[str, str] = {}
    on_hosts: dict[str, list[str]] = {}
    for alike in looked_at.estate.alike_hosts:
        # Hosts that are alike have the same accounts.
        state = alike[0].state
        enabled = [account for account in state.accounts if account.enabled] if state else []
        for account in enabled:
            if account.sid.rid == RID_GUEST:
                yield from _guests(alike)
        for name in (account.name for account in enabled if account.sid.rid >= _FIRST_OF_PEOPLE):
            names.setdefault(name.casefold(), name)
            on_hosts.setdefault(name.casefold(), []).extend(host.name for host in alike)
    for folded, some in on_hosts.items():
        if len(some) >= _MANY_HOSTS:
            hosts, name = sorted(some), names[folded]
            message = f"the local account {name} is enabled on {len(hosts)} hosts: {some_of(hosts)}"
            yield Finding("shared-local-account", Named(rf"local\{name}"), message, evidence={"hosts": hosts})


def _guests(alike: Sequence[Host]) -> Iterator[Finding]:
    for host in alike:
        for account in host.state.accounts if host.state else ():
            if account.enabled and account.sid.rid == RID_GUEST:
                subject = Named(rf"{host.name}\{account.name}", account.sid)
                message = "the guest account is enabled, with which anybody logs on"
                yield Finding("guest-enabled", subject, message, host=host_named(host))
