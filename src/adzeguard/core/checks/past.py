"""What was done lately that should not go unnoticed, and what the trail does not show."""

from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping, Sequence
from collections.abc import Set as AbstractSet
from datetime import timedelta
from functools import cached_property
from typing import Final

from adzeguard.core.access.logon import identities_of_all, may_log_on, token_at
from adzeguard.core.charter.account_scopes import accounts_of
from adzeguard.core.charter.grant_rule import ResolvedGrant
from adzeguard.core.charter.scopes import HostScopes
from adzeguard.core.charter.tier_rule import ResolvedTier, TierOfHosts
from adzeguard.core.checks.check_input import CheckInput
from adzeguard.core.checks.finding import Finding
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.logon import IN_PERSON, WAYS, logon_of
from adzeguard.core.estate.logon_limits import hosts_listed
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.names import host_named
from adzeguard.core.estate.principal import Principal
from adzeguard.core.identity import Sid, fold_dn
from adzeguard.core.trail.privileged_events import Done, Logon
from adzeguard.core.wellknown import WELL_KNOWN
from adzeguard.core.wording import length_in_words, when_utc, zone_in_words

_BRIEF: Final = timedelta(hours=1)
_TRIES: Final = 10
"""So often within a day, from wherever: who guesses with care comes from several places."""
_A_DAY: Final = timedelta(days=1)
_ORIGINS: Final = 10
_LETS_CHANGE_MEMBERS: Final = frozenset({"group-membership", "group-lifecycle", "everything"})


def check_past(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield what was done to privileged groups for a moment only, at odd hours, or by somebody whom no rule lets."""
    seen = looked_at.seen
    let = _Let(looked_at) if seen.done else None
    for one in seen.done:
        by = f" by {one.by}" if one.by else ""
        origin = f" from {one.origin}" if one.origin else ""
        where = f"{one.group}{f', which leads into {one.privileged},' if one.group != one.privileged else ''}"
        done = f"was {one.verb} {'to' if one.verb == 'added' else 'from'} {where}"
        if one.held is not None and one.held <= _BRIEF and not one.declared and one.verb == "added":
            yield _of(one, "brief-membership", f"was in {where} for {length_in_words(one.held)}, put in{by}{origin}")
        if seen.hours is not None and _hour(one, seen.offset) not in seen.hours:
            when = f"{one.at + seen.offset:%A %Y-%m-%d %H:%M} {zone_in_words(seen.offset)}"
            yield _of(one, "odd-hours", f"{done} on {when}, outside of working hours,{by}{origin}")
        if one.by_sid and not one.declared and let is not None and not let.may(one.by_sid, one.group_sid):
            yield _of(
                one, "changed-by-stranger", f"{done} by {one.by}, whom no rule lets do so{origin and ','}{origin}"
            )


def _hour(one: Done, offset: timedelta) -> int:
    there = one.at + offset
    return there.weekday() * 24 + there.hour


def _of(one: Done, check: str, what: str) -> Finding:
    evidence = {
        "time": one.at.isoformat(),
        "verb": one.verb,
        "by": one.by,
        "by_sid": one.by_sid,
        "from": one.origin,
        "privileged": one.privileged,
    }
    return Finding(
        check,
        Named(one.group, one.group_sid),
        f"{one.member} {what}",
        member=Named(one.member, one.member_sid),
        evidence=evidence,
    )


class _Let:
    """Who may change groups: keepers and privileged accounts any of them, others what a rule lets them."""

    def __init__(self, looked_at: CheckInput) -> None:
        self._estate = looked_at.estate
        keepers = {keeper.id for keeper in looked_at.charter.keepers if isinstance(keeper, Principal)}
        self._anywhere = self._sids(keepers | {group.id for group in looked_at.privileged})
        self._below = [
            (fold_dn(rule.over.dn), self._sids({principal.id for principal in rule.to}))
            for rule in looked_at.charter.of(ResolvedGrant)
            if _LETS_CHANGE_MEMBERS & set(rule.rule.grant)
        ]

    def may(self, sid: str, group_sid: str) -> bool:
        """Tell whether somebody may change a group."""
        # The server itself changes members too, when an account is made or a computer joins.
        if sid in self._anywhere or sid == WELL_KNOWN["system"]:
            return True
        group = self._estate.id_of_sid(group_sid) if group_sid else None
        place = fold_dn(self._estate.principal(group).dn) if group is not None else ""
        return any(sid in sids and (place == over or place.endswith(f",{over}")) for over, sids in self._below)

    def _sids(self, ids: AbstractSet[int]) -> frozenset[str]:
        """Return the SIDs of people and of everybody in groups, however deeply nested."""
        people = {int(i) for one in ids if self._is_group(one) for i in self._estate.graph.expand(one).people}
        return frozenset(str(p.sid) for p in self._estate.catalogue.principals(ids | people).values() if p.sid)

    def _is_group(self, one: int) -> bool:
        return self._estate.graph.position_of(one) is not None


def check_logons(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield privileged accounts that logged on where they may not, and those that somebody tries in vain."""
    logons = looked_at.seen.logons
    if not logons:
        return
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
        self._scopes = HostScopes([TierOfHosts(rule.id, rule.of_hosts, rule.tier) for rule in tiers if rule.of_hosts])
        self._tier_of: dict[int, int] = {}
        for rule in sorted(tiers, key=lambda rule: rule.tier):
            for account in accounts_of(self._estate, rule.accounts) if rule.accounts else ():
                self._tier_of.setdefault(account, rule.tier)

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


def check_trail(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield what the trail should show and does not: kinds of events, stretches of time, changes of our own."""
    seen = looked_at.seen
    if seen.since is None:
        return
    domain = looked_at.estate.domain
    about = Named(domain.short_name, domain.sid)
    if seen.lacking:
        said = f"the trail has no events of these kinds: {', '.join(seen.lacking)}"
        yield Finding("auditing-off", about, said, evidence={"lacking": list(seen.lacking)})
    for gap in seen.gaps:
        begin, end = (when_utc(moment) for moment in (gap.begin, gap.end))
        said = f"nothing was logged for {length_in_words(gap.length)}, from {begin} to {end}"
        yield Finding("trail-gap", about, said, evidence={"begin": gap.begin.isoformat(), "end": gap.end.isoformat()})
    for one in seen.unseen:
        said = f"our change of {when_utc(one.at)} is not in the trail: {one.words}"
        yield Finding("unseen-by-trail", Named(one.group, one.group_sid), said, evidence={"at": one.at.isoformat()})
