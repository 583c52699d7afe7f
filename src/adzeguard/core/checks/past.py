"""What was done lately that should not go unnoticed, and what the trail does not show."""

from collections.abc import Iterator
from collections.abc import Set as AbstractSet
from datetime import timedelta
from typing import Final

from adzeguard.core.charter.grant_rule import ResolvedGrant
from adzeguard.core.checks.check_input import CheckInput
from adzeguard.core.checks.finding import Finding
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.principal import Principal
from adzeguard.core.identity import fold_dn
from adzeguard.core.trail.privileged_events import Done
from adzeguard.core.wellknown import WELL_KNOWN
from adzeguard.core.wording import length_in_words, when_utc, zone_in_words

_BRIEF: Final = timedelta(hours=1)
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
