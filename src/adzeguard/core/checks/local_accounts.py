"""Accounts of hosts themselves that should not be there, or not be enabled."""

from collections.abc import Iterator
from typing import Final

from adzeguard.core.checks.check_input import CheckInput
from adzeguard.core.checks.finding import Finding
from adzeguard.core.estate.hosts import LocalAccount
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.names import host_named
from adzeguard.core.wellknown import RID_GUEST
from adzeguard.core.wording import some_of

_FIRST_OF_PEOPLE: Final = 1000
"""The lowest RID of an account that somebody made ([MS-SAMR] 3.1.1.9.1); below are those of every host."""
_MANY_HOSTS: Final = 3


def local_accounts(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield each guest that is enabled, and each account that is enabled on many hosts under one name."""
    by_name: dict[str, list[tuple[str, LocalAccount]]] = {}
    for host in looked_at.estate.hosts:
        for account in host.state.accounts if host.state else ():
            rid = account.sid.rid
            if account.enabled and rid == RID_GUEST:
                message = "the guest account is enabled, with which anybody logs on"
                subject = Named(rf"{host.name}\{account.name}", account.sid)
                yield Finding("guest-enabled", subject, message, host=host_named(host))
            elif account.enabled and rid is not None and rid >= _FIRST_OF_PEOPLE:
                by_name.setdefault(account.name.casefold(), []).append((host.name, account))
    for those in by_name.values():
        if len(those) >= _MANY_HOSTS:
            hosts = sorted(name for name, _ in those)
            name = those[0][1].name
            message = f"the local account {name} is enabled on {len(hosts)} hosts: {some_of(hosts)}"
            yield Finding("shared-local-account", Named(rf"local\{name}"), message, evidence={"hosts": hosts})
