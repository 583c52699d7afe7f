"""Leases, with what is left of them."""

from collections.abc import Iterable
from datetime import date, datetime, time, timedelta
from typing import Any

from adzeguard.core.charter.charter import Charter
from adzeguard.core.charter.group_rule import GroupRule
from adzeguard.core.charter.membership import MembershipRule
from adzeguard.core.time.lease import LATE_AFTER, Lease
from adzeguard.core.values import dataclass
from adzeguard.core.views.table import Column, Table, data_columns
from adzeguard.core.wording import length_in_words


@dataclass(frozen=True, slots=True)
class Planned:
    """A lease that stands in the charter: under which rule, who, where, and up to which last day."""

    rule: str
    member: str
    where: str
    last: date
    owner: str
    why: str


def planned_in(charter: Charter) -> list[Planned]:
    """Return the leases of a charter's rules, the first end first."""
    found = [
        Planned(rule.id, member, _where(rule), last, rule.owner, rule.why)
        for rule in charter.rules
        if isinstance(rule, MembershipRule) and rule.enabled
        for member, last in rule.lease.items()
    ]
    return sorted(found, key=lambda one: (one.last, one.rule, one.member))


def _where(rule: MembershipRule) -> str:
    return rule.group if isinstance(rule, GroupRule) else str(getattr(rule, "local_group", ""))


def leases_table(leases: Iterable[Lease], now: datetime, planned: Iterable[Planned] = ()) -> Table:
    """Return one row for each; those of the charter after the others."""
    rows: list[dict[str, Any]] = [
        {
            "id": one.id,
            "member": one.member,
            "member_sid": one.member_sid,
            "group": one.group,
            "group_sid": one.group_sid,
            "host": one.host,
            "until_at": one.until,
            "left_seconds": int(one.left(now).total_seconds()),
            "left": _left(one, now),
            "by": one.by,
            "why": one.why,
            "state": one.standing_at(now),
            "late_seconds": int(one.late(now).total_seconds()),
            "extended": one.extended,
            "by_itself": one.by_itself,
            "contract": one.contract,
            "ends": f"{'the directory' if one.by_itself else 'a round'}{', with the contract' * one.contract}",
        }
        for one in leases
    ]
    rows += [_planned(one, now) for one in planned]
    ends_differ = any(row["by_itself"] or row["contract"] for row in rows)
    columns = (
        Column("id", "Lease", fixed=True),
        Column("member", "Who"),
        Column("group", "Group"),
        *data_columns("member_sid", "group_sid", "host"),
        Column("until_at", "Until", kind="moment"),
        *data_columns("left_seconds"),
        Column("left", "Left", for_people=True),
        Column("by", "By"),
        Column("why", "Why", wide=True),
        Column("state", "State", kind="word"),
        *((Column("ends", "Ended by", for_people=True),) if ends_differ else ()),
        *data_columns("late_seconds", "extended", "by_itself", "contract"),
    )
    return Table(rows, columns, title=f"Leases: {len(rows)}", empty="No active leases.")


def _planned(one: Planned, now: datetime) -> dict[str, Any]:
    end = datetime.combine(one.last + timedelta(days=1), time.min).astimezone()
    left = max(end - now, timedelta())
    return {
        "id": one.rule,
        "member": one.member,
        "member_sid": "",
        "group": one.where,
        "group_sid": "",
        "host": "",
        "until_at": end,
        "left_seconds": int(left.total_seconds()),
        "left": length_in_words(left) if left else "over",
        "by": one.owner,
        "why": one.why,
        "state": "charter",
        "late_seconds": 0,
        "extended": 0,
        "by_itself": False,
        "contract": False,
        "ends": "a round",
    }


def _left(lease: Lease, now: datetime) -> str:
    if lease.is_open and lease.until > now:
        return length_in_words(lease.until - now)
    late = lease.late(now)
    word = f", {length_in_words(late)} late" if late > LATE_AFTER else ""
    return ("over" if lease.is_open else "ended") + word
