"""Accounts of hosts themselves that should not be there, or not be enabled."""

from collections.abc import Iterator
from typing import Final

from adzeguard.core.checks.check_input import CheckInput
from adzeguard.core.checks.finding import Finding
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
    of_alike: dict[int, list[str]] = {}
    for host in looked_at.estate.hosts:
        alike = host.state.alike if host.state is not None else None
        made = of_alike.get(id(alike)) if alike is not None else None
        if made is None:
            accounts = [account for account in (host.state.accounts if host.state else ()) if account.enabled]
            guests = [account for account in accounts if account.sid.rid == RID_GUEST]
            for account in guests:
                message = "the guest account is enabled, with which anybody logs on"
                subject = Named(rf"{host.name}\{account.name}", account.sid)
                yield Finding("guest-enabled", subject, message, host=host_named(host))
            made = [account.name for account in accounts if (account.sid.rid or 0) >= _FIRST_OF_PEOPLE]
            # Hosts that are alike have the same accounts, and a guest is told of each.
            if alike is not None and not guests:
                of_alike[id(alike)] = made
        for name in made:
            names.setdefault(name.casefold(), name)
            on_hosts.setdefault(name.casefold(), []).append(host.name)
    for folded, some in on_hosts.items():
        if len(some) >= _MANY_HOSTS:
            hosts, name = sorted(some), names[folded]
            message = f"the local account {name} is enabled on {len(hosts)} hosts: {some_of(hosts)}"
            yield Finding("shared-local-account", Named(rf"local\{name}"), message, evidence={"hosts": hosts})
