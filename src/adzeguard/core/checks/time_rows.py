"""Rows of the table of checks: what leases, waivers and the trail show."""

from collections.abc import Iterator
from datetime import timedelta
from typing import Final

from adzeguard.core.check_row import Severity
from adzeguard.core.checks.check import Check
from adzeguard.core.checks.check_input import CheckInput
from adzeguard.core.checks.finding import Finding
from adzeguard.core.checks.past import check_past, check_trail
from adzeguard.core.checks.waivers import check_waivers
from adzeguard.core.estate.named import Named
from adzeguard.core.review.evidence import EVENT, LEASE, LOGON
from adzeguard.core.time.lease import LATE_AFTER, Lease
from adzeguard.core.wording import age_in_words

_EXTENDED_OFTEN: Final = 3
_LATELY: Final = timedelta(days=30)
_A_DAY: Final = timedelta(days=1)


def check_leases(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield them; of what has ended only what ended lately."""
    now = looked_at.moment
    for lease in looked_at.leases:
        late = lease.late(now)
        about = f"the lease {lease.id} in {lease.group}, given by {lease.by}"
        if lease.is_open and late:
            yield _of(lease, "lease-overdue", f"{about}, is over for {age_in_words(late)} and has not ended")
        elif lease.is_open and not lease.contract and lease.until - now - _A_DAY > looked_at.longest_lease:
            days = (lease.until - now).days
            yield _of(lease, "lease-too-long", f"{about}, runs for {days} days more, and none may run for so long")
        elif lease.ended is not None and late > LATE_AFTER and now - lease.ended < _LATELY:
            yield _of(lease, "lease-ended-late", f"{about}, ended {age_in_words(late)} late")
        if lease.is_open and lease.extended >= _EXTENDED_OFTEN:
            yield _of(lease, "lease-kept-alive", f"{about}, was extended {lease.extended} times")


def check_logons(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield privileged accounts that logged on where they may not, and those that somebody tries in vain."""
    if looked_at.seen.logons:
        # Only here: it knows tiers and rules about accounts, which need ten modules.
        from adzeguard.core.checks.logons import logons_found

        yield from logons_found(looked_at)


def _of(lease: Lease, check: str, message: str) -> Finding:
    evidence = {"lease": lease.id, "until": lease.until.isoformat(), "group_sid": lease.group_sid}
    member = Named(lease.member, lease.member_sid)
    return Finding(check, Named(lease.group, lease.group_sid), message, member=member, evidence=evidence)


TIME_CHECKS: Final[tuple[Check, ...]] = (
    Check(
        "lease-overdue",
        "A lease is over, and what it gave is still there",
        "Privilege that was given for a job is kept after it.",
        "End it: adzeguard round, or adzeguard lease end LEASE",
        Severity.HIGH,
        check_leases,
        evidence=LEASE,
    ),
    Check(
        "lease-too-long",
        "A lease runs for longer than any lease may",
        "It was given while a clock was wrong, or before [leases] longest_days was set: nobody meant it so.",
        "Move its end: adzeguard lease extend LEASE --for LENGTH, or end it: adzeguard lease end LEASE",
        Severity.HIGH,
        check_leases,
        evidence=LEASE,
    ),
    Check(
        "lease-ended-late",
        "A lease ended later than it should have",
        "Nobody made rounds while it should have ended.",
        "Let adzeguard round run every few minutes, by cron or a timer",
        Severity.LOW,
        check_leases,
        evidence=LEASE,
    ),
    Check(
        "lease-kept-alive",
        "A lease is extended again and again",
        "What is always extended is no lease any more, and nobody decided on that.",
        "Write it into a rule, or end it: adzeguard lease end LEASE",
        Severity.LOW,
        check_leases,
        evidence=LEASE,
    ),
    Check(
        "waiver-kept-alive",
        "A deviation is left again and again",
        "What is always left as it is has become the rule, and nobody decided on that.",
        "Write it into the rule, or end it: adzeguard questions waivers end WAIVER",
        Severity.LOW,
        check_waivers,
        evidence=("waiver", "until", "by"),
    ),
    Check(
        "brief-membership",
        "Somebody was in a privileged group for less than an hour",
        "Who gets in and out within an hour, behind everybody's back, had a reason not to be seen inside.",
        "Ask who did it: adzeguard history GROUP; give access with an end instead: adzeguard lease start",
        Severity.MEDIUM,
        check_past,
        evidence=EVENT,
    ),
    Check(
        "odd-hours",
        "A privileged group was changed outside of working hours",
        "Nobody is there at night to see it; an intruder chooses the hour.",
        "Ask who did it: adzeguard history GROUP --outside HOURS",
        Severity.MEDIUM,
        check_past,
        evidence=EVENT,
    ),
    Check(
        "changed-by-stranger",
        "A privileged group was changed by somebody whom no rule lets",
        "They hold a right that nobody has written down, or somebody else uses their account.",
        "See how they could: adzeguard may WHO group-membership GROUP; then document it, or withdraw it",
        Severity.HIGH,
        check_past,
        evidence=EVENT,
    ),
    Check(
        "logon-in-lower-tier",
        "A privileged account was used on a host of a lower tier",
        "Its secret was in the memory of a host that weaker people can break into.",
        "Set a new password, and refuse it there: a rule with refuse-logon, then adzeguard propose",
        Severity.HIGH,
        check_logons,
        evidence=LOGON,
    ),
    Check(
        "logon-though-refused",
        "A privileged account logged on where it is refused",
        "The refusal came later, or the host does not keep to it.",
        "See what holds there: adzeguard show HOST",
        Severity.MEDIUM,
        check_logons,
        evidence=LOGON,
    ),
    Check(
        "tried-in-vain",
        "Somebody tries a privileged account again and again",
        "A wrong password ten times is a script that was forgotten, or somebody who guesses.",
        "See from where: adzeguard logons ACCOUNT",
        Severity.MEDIUM,
        check_logons,
        evidence=("from", "tries"),
    ),
    Check(
        "auditing-off",
        "The directory does not log what is needed",
        "Who changed a group cannot be told afterwards.",
        "See what switches it on: adzeguard trail support",
        Severity.MEDIUM,
        check_trail,
        evidence=("lacking",),
    ),
    Check(
        "trail-gap",
        "The trail has a gap",
        "What was done in that time is not known: the log was off, lost, or cleared.",
        "Read the log of that time, if there is one: adzeguard trail import FILE",
        Severity.LOW,
        check_trail,
        evidence=("begin", "end"),
    ),
    Check(
        "unseen-by-trail",
        "A change of ours is not in the trail",
        "What logs did not see ours would not have seen anybody else's either.",
        "See whether it is logged: adzeguard trail support",
        Severity.LOW,
        check_trail,
        evidence=("at",),
    ),
)
