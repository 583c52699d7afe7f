"""Privileged accounts that logged on where they may not, and those that somebody tries in vain."""

from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping, Sequence
from collections.abc import Set as AbstractSet
from datetime import timedelta
from functools import cached_property
from typing import Final

from adzeguard.core.access.logon import identities_of_all, may_log_on, token_at
from adzeguard.core.charter.tier_rule import ResolvedTier
from adzeguard.core.charter.tiers import tiers_of_accounts, tiers_of_hosts
from adzeguard.core.checks.check_input import CheckInput
from adzeguard.core.checks.finding import Finding
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.logon import IN_PERSON, WAYS, logon_of
from adzeguard.core.estate.logon_limits import hosts_listed
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.names import host_named
from adzeguard.core.identity import Sid
from adzeguard.core.trail.privileged_events import Logon

_TRIES: Final = 10
"""So often within a day, from wherever: who guesses with care comes from several places."""
_A_DAY: Final = timedelta(days=1)
_ORIGINS: Final = 10


def logons_found(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield them."""
    logons = looked_at.seen.logons
    judge = _Judge(looked_at, {one.account_sid for one in logons})
    told: set[tuple[str, str, str]] = set()
    for one in logons:
        # By the host that proved itself alone: what a client calls itself could accuse any other.
        host = looked_at.estate.hosts_by_name.get(one.host.casefold()) if one.host and not one.refused else None
        for check, why in judge.wrong(one, host) if host is not None else ():
            if host is not None and (check, one.account_sid, host.name) not in told:
                told.add((check, one.account_sid, host.name))
                yield _logon(one, check, f"{one.account} logged on, and {why}", host)
    refused: defaultdict[tuple[str, str], list[Logon]] = defaultdict(list)
    for one in logons:
        if one.refused:
            refused[one.account, one.account_sid].append(one)
    for (account, sid), tries in sorted(refused.items()):
        if any(last.at - first.at <= _A_DAY for first, last in zip(tries, tries[_TRIES - 1 :], strict=False)):
            yield _tried(Named(account, sid), tries)


def _tried(account: Named, tries: Sequence[Logon]) -> Finding:
    origins = Counter(one.origin for one in tries if one.origin).most_common()
    more = f" and {len(origins) - 1} more" if len(origins) > 1 else ""
    said = f"{account.name} was tried in vain {len(tries)} times{f' from {origins[0][0]}{more}' if origins else ''}"
    evidence = {"from": ", ".join(origin for origin, _ in origins[:_ORIGINS]), "tries": len(tries)}
    return Finding("tried-in-vain", account, said, evidence=evidence)


def _logon(one: Logon, check: str, message: str, host: Host) -> Finding:
    evidence = {"time": one.at.isoformat(), "from": one.origin, "way": one.way}
    return Finding(
        check, host_named(host), message, Named(one.account, one.account_sid), host_named(host), evidence=evidence
    )


class _Judge:
    """Where accounts may log on, by refusals, by limits and by tiers."""

    def __init__(self, looked_at: CheckInput, sids: AbstractSet[str]) -> None:
        self._estate: Estate = looked_at.estate
        self._ids = looked_at.estate.ids_of_sids(sids)
        self._sids = [Sid(sid) for sid in sids]
        self._accounts = looked_at.estate.catalogue.principals(i for i in self._ids.values() if i is not None)
        tiers = looked_at.charter.of(ResolvedTier)
        self._scopes = tiers_of_hosts(tiers)
        self._tier_of = {account: rule.tier for account, rule in tiers_of_accounts(self._estate, tiers).items()}

    @cached_property
    def _identities(self) -> Mapping[Sid, frozenset[Sid]]:
        return identities_of_all(self._estate, self._sids)

    def wrong(self, one: Logon, host: Host) -> Iterator[tuple[str, str]]:
        """Yield the check and why, for each thing that is wrong with a logon."""
        known = self._ids[one.account_sid]
        if known is None:
            return
        held = self._scopes.on(host) if known in self._tier_of else []
        if held and held[0].rule.tier > self._tier_of[known]:
            yield (
                "logon-in-lower-tier",
                f"{host.name} is of tier {held[0].rule.tier}, the account of tier {self._tier_of[known]}",
            )
        listed = {name.casefold() for name in hosts_listed(self._accounts[known])}
        if host.state is not None:
            rules = logon_of(host.state)
            token = token_at(host.state, self._identities[Sid(one.account_sid)]) if rules is not None else ()
            ways = (one.way,) if one.way in WAYS else IN_PERSON
            if rules is not None and not any(may_log_on(rules, token, way).allowed for way in ways):
                yield "logon-though-refused", f"it is refused logon at {host.name} today"
        if listed and host.name.casefold() not in listed:
            yield "logon-though-refused", f"it may log on to other hosts alone, not to {host.name}"
