"""Who is somebody else without a right over them: by delegation, by a password that is handed out, by the template.

What an account is let do towards a host is judged by the host and not by the class of the service: that is not sealed
in a ticket, and a ticket for HTTP was taken by the file server (seen with Samba 4.17).
"""

from collections.abc import Iterator, Mapping
from functools import cached_property
from typing import Any, Final

from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import ACCOUNTS, Flag, Kind, Principal
from adzeguard.core.identity import Sid
from adzeguard.core.rights.reach_graph import EVERYBODY, Edge
from adzeguard.core.rights.ways import ACTED_FOR, ACTS, READS, TEMPLATE
from adzeguard.core.wellknown import EVERYONE_LIKE

_TEMPLATE: Final = "CN=AdminSDHolder,CN=System,"
_KEPT_BY_TEMPLATE: Final = frozenset({Kind.USER, Kind.GROUP, Kind.COMPUTER})


class ActingAs:
    """The ways of one estate; the few accounts with such attributes are looked up once."""

    def __init__(self, estate: Estate) -> None:
        self._estate = estate
        self._templates: dict[str, int | None] = {}

    def behind(self, principal: Principal) -> Iterator[Edge]:
        """Yield who is somebody, or is anybody towards them."""
        ways = self._marked.get(principal.id, {})
        if principal.kind == Kind.COMPUTER:
            for account in self._acting.get(principal.id, ()):
                yield Edge(account, principal.id, ACTS)
        if principal.kind in ACCOUNTS:
            yield from self._held(principal, ways.get("acted_for_by", ()), ACTED_FOR)
            yield from self._held(principal, ways.get("password_readers", ()), READS)
        if principal.flags & Flag.ADMIN_COUNT and principal.kind in _KEPT_BY_TEMPLATE:
            template = self._template_of(principal)
            if template is not None:
                yield Edge(template, principal.id, TEMPLATE)

    def _held(self, principal: Principal, sids: list[str], how: str) -> Iterator[Edge]:
        ids = self._estate.ids_of_sids(map(Sid, sids))
        for sid in sids:
            holder = EVERYBODY if sid in EVERYONE_LIKE else ids[sid]
            if holder is not None and holder != principal.id:
                yield Edge(holder, principal.id, how)

    @cached_property
    def _accounts(self) -> Mapping[int, Principal]:
        catalogue = self._estate.catalogue
        return catalogue.principals(catalogue.with_detail("signing_in").tolist())

    @cached_property
    def _marked(self) -> Mapping[int, Mapping[str, Any]]:
        return {i: one.details.get("signing_in") or {} for i, one in self._accounts.items()}

    @cached_property
    def _acting(self) -> Mapping[int, list[int]]:
        """By host who acts for anybody towards it: who needs the ticket of whom they act for is none of them."""
        found: dict[int, list[int]] = {}
        for i, ways in self._marked.items():
            account = self._accounts[i]
            if account.enabled and account.flags & Flag.ACTS_FOR_ANYBODY:
                hosts = {self._host_of(service) for service in ways.get("acts_towards", ())}
                for host in hosts - {None, i}:
                    found.setdefault(int(host or 0), []).append(i)
        return found

    def _host_of(self, service: str) -> int | None:
        """Return the host of a service, such as `cifs/quay-72.lowmere.example` ([MS-SFU] 1.1)."""
        host = self._estate.host_named(service_host(service))
        return host.id if host is not None else None

    def _template_of(self, principal: Principal) -> int | None:
        base = self._estate.domain.holding(principal.dn).base_dn
        if base not in self._templates:
            self._templates[base] = self._estate.catalogue.by_dn(f"{_TEMPLATE}{base}")
        return self._templates[base]


def service_host(service: str) -> str:
    """Return the short name of the host of a service."""
    return service.partition("/")[2].partition("/")[0].partition(":")[0].partition(".")[0]
