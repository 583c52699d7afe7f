"""Whom a log means by the name of an account: one account is called in several ways, and who guesses tries them all."""

from collections.abc import Callable, Iterable
from collections.abc import Set as AbstractSet
from typing import Final

from adzeguard.core.estate.catalogue import Domain
from adzeguard.core.estate.principal import Principal
from adzeguard.core.identity import fold_dn
from adzeguard.core.trail.event import NOBODY, Event

_SEPARATOR: Final = "\\"
_CHECK: Final = 4776
"""The number under which an event log has the check of a password alone."""


class Accounts:
    """Some accounts, by everything that they can be called.

    `is_elsewhere` tells whether what stands before the backslash names another place that has accounts, such as a host
    or a domain that is trusted. A server looks a name of nowhere up among its own (seen in Samba 4.17).
    """

    def __init__(self, accounts: Iterable[Principal], domain: Domain, is_elsewhere: Callable[[str], bool]) -> None:
        self._domains = {"", *(name.casefold() for one in domain.all for name in (one.short_name, one.dns_name))}
        self._is_elsewhere = is_elsewhere
        self._sids: set[str] = set()
        self._by_name: dict[str, str] = {}
        self._by_principal_name: dict[str, str] = {}
        self._by_dn: dict[str, str] = {}
        self._known: dict[str, str] = {}
        for one in accounts:
            if one.sid:
                self._sids.add(one.sid)
                self._by_name[one.name.casefold()] = one.sid
                self._by_dn[fold_dn(one.dn)] = one.sid
                principal_name = str(one.details.get("user_principal_name") or "").casefold()
                self._by_principal_name |= {principal_name: one.sid} if principal_name else {}

    @property
    def sids(self) -> AbstractSet[str]:
        """Their SIDs."""
        return self._sids

    def meant(self, event: Event) -> str:
        """Return the SID of the account that an event is about; empty where it is none of these."""
        if event.member_sid not in ("", NOBODY):
            return event.member_sid if event.member_sid in self._sids else ""
        if event.member not in self._known:
            self._known[event.member] = self._called(event.member.casefold())
        return self._known[event.member]

    def _called(self, name: str) -> str:
        place, _, bare = name.rpartition(_SEPARATOR)
        if "=" in bare and fold_dn(name) in self._by_dn:
            return self._by_dn[fold_dn(name)]
        if place not in self._domains and self._is_elsewhere(place):
            return ""
        if bare in self._by_principal_name:
            return self._by_principal_name[bare]
        account, _, domain = bare.rpartition("@")
        if account and domain in self._domains:
            bare = account
        return self._by_name.get(bare, "") or self._by_name.get(bare.removesuffix("$"), "")


def once(logons: Iterable[tuple[str, Event]]) -> list[tuple[str, Event]]:
    """Return each try once: a directory server logs that a password was wrong (4776), then the refused logon (4625)."""
    found = list(logons)
    refused = {(sid, _second(event)) for sid, event in found if event.verb == "refused" and event.number != _CHECK}
    return [
        (sid, event)
        for sid, event in found
        if event.number != _CHECK or not any((sid, _second(event) + n) in refused for n in (-1, 0, 1))
    ]


def _second(event: Event) -> int:
    return int(event.at.timestamp())
