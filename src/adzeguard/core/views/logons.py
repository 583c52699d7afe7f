"""Where privileged accounts were used, and who tries them."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from typing import Any, Final

from adzeguard.core.estate.moments import moment
from adzeguard.core.estate.principal import Principal
from adzeguard.core.estate.seen_on import KEY, SESSION, TICKET
from adzeguard.core.trail.event import Event
from adzeguard.core.values import dataclass
from adzeguard.core.views.table import Column, Table, data_columns
from adzeguard.core.wording import age_in_words

_WAYS: Final = {
    "console": "at the console",
    "remote": "at a remote desktop",
    "network": "over the network",
    "batch": "as a batch",
    "service": "as a service",
    "password": "by a plain password",
    "ticket": "for a ticket",
    "directory": "at the directory",
    KEY: "by a public key",
    SESSION: "works there",
    TICKET: "a ticket lies there",
}


def used_rows(people: Mapping[str, Principal], logons: Iterable[tuple[str, Event]]) -> list[dict[str, Any]]:
    """Return one row for each account by its SID: when and from where it was used last, how often, and tried in vain.

    Who was never used comes first, then by age: those are the ones that need not be privileged.
    """
    rows: dict[str, dict[str, Any]] = {
        sid: {
            "account": one.qualified_name,
            "account_sid": sid,
            "last_used_at": None,
            "last_host": "",
            "last_claimed": "",
            "last_way": "",
            "last_from": "",
            "directory_says_at": moment(one.details.get("last_logon")),
            "logons": 0,
            "refused": 0,
            "refused_from": [],
        }
        for sid, one in people.items()
    }
    for sid, event in logons:
        row = rows[sid]
        if event.verb == "refused":
            row["refused"] += 1
            if event.origin and event.origin not in row["refused_from"]:
                row["refused_from"].append(event.origin)
        else:
            row["logons"] += 1
            row |= {"last_used_at": event.at, "last_host": event.group, "last_from": event.origin}
            row |= {"last_claimed": event.claimed, "last_way": event.way}
    return sorted(rows.values(), key=_age)


def _age(row: Mapping[str, Any]) -> tuple[bool, float, str]:
    known = row["last_used_at"] or row["directory_says_at"]
    return row["last_used_at"] is not None, known.timestamp() if known is not None else 0, row["account"]


def used_table(rows: Sequence[Mapping[str, Any]], since: datetime, now: datetime, *, whole: bool) -> Table:
    """Return it for people, in their order. `whole` says that the trail tells of all this time."""
    shown = [
        {**row, "used": _used(row, since, now, whole=whole), "where": _where(row, "last_"), "tried": _tried(row)}
        for row in rows
    ]
    columns = (
        Column("account", "Privileged account"),
        *data_columns(
            "account_sid", "last_used_at", "last_host", "last_claimed", "last_way", "last_from", "directory_says_at"
        ),
        Column("used", "Last used", for_people=True),
        Column("where", "From", for_people=True),
        Column("logons", "Logons", kind="number"),
        *data_columns("refused", "refused_from"),
        Column("tried", "Tried in vain", for_people=True, wide=True),
    )
    title = f"Logons of privileged accounts since {since.astimezone():%Y-%m-%d}"
    return Table(shown, columns, title, empty="Nobody is privileged.")


def _used(row: Mapping[str, Any], since: datetime, now: datetime, *, whole: bool) -> str:
    """Say when it was used. That the trail has nothing is no proof: it may not reach back, or not be logged."""
    if row["last_used_at"] is not None:
        return f"{age_in_words(now - row['last_used_at'])} ago"
    said = row["directory_says_at"]
    if whole and (said is None or said < since):
        return "not once"
    if said is None:
        return "not in the trail, nor by the directory"
    return f"not in the trail; by the directory {age_in_words(now - said)} ago"


def _where(row: Mapping[str, Any], before: str = "") -> str:
    host, claimed, way, origin = (row[f"{before}{key}"] for key in ("host", "claimed", "way", "from"))
    says = f"says it is {claimed}" if claimed and claimed.casefold() != host.casefold() else ""
    return ", ".join(part for part in (host, _WAYS.get(way, way), origin, says) if part)


def _tried(row: Mapping[str, Any]) -> str:
    if not row["refused"]:
        return ""
    origins = row["refused_from"]
    more = f" and {len(origins) - 1} more" if len(origins) > 1 else ""
    return f"{row['refused']} times{f' from {origins[0]}{more}' if origins else ''}"


@dataclass(frozen=True, slots=True)
class OnHost:
    """Somebody on a host, the last time in one way: who, by name and SID, how, when, and who tells it."""

    account: str
    sid: str
    how: str
    at: datetime
    told_by: str
    privileged: bool = False


def on_host_table(found: Iterable[OnHost], host: str) -> Table:
    """Return who logged on to a host or works there, privileged accounts first, then the last ones."""
    rows = [
        {
            "account": one.account,
            "account_sid": one.sid or None,
            "is_privileged": one.privileged,
            "privileged": "yes" if one.privileged else "",
            "happened_at": one.at,
            "way": one.how,
            "how": _WAYS.get(one.how, one.how),
            "told_by": one.told_by,
        }
        for one in sorted(found, key=lambda one: (not one.privileged, -one.at.timestamp(), one.account.casefold()))
    ]
    columns = (
        Column("account", "Account"),
        *data_columns("account_sid", "is_privileged"),
        Column("privileged", "Privileged", for_people=True),
        Column("happened_at", "Last", kind="moment"),
        *data_columns("way"),
        Column("how", "How", for_people=True, wide=True),
        Column("told_by", "Told by", wide=True),
    )
    return Table(rows, columns, f"Logons at {host} ({len(rows)})", empty="Nobody is known to have logged on there.")


def logons_table(events: Sequence[Event], account: str, said: datetime | None) -> Table:
    """Return the logons of one account, newest first. `said` is when it logged on last, by the directory."""
    rows = [
        {
            "happened_at": event.at,
            "outcome": "refused" if event.verb == "refused" else "let in",
            "host": event.group,
            "claimed": event.claimed,
            "way": event.way,
            "from": event.origin,
        }
        for event in reversed(events)
    ]
    columns = (
        Column("happened_at", "When", kind="moment"),
        Column("outcome", "Outcome", kind="word"),
        *data_columns("host", "claimed", "way", "from"),
        Column("where", "How, and from where", for_people=True, wide=True),
    )
    by_directory = f" By the directory it logged on last about {said.astimezone():%Y-%m-%d}." if said else ""
    return Table(
        [{**row, "where": _where(row)} for row in rows],
        columns,
        f"Logons of {account} ({len(rows)})",
        empty=f"No logon is in the trail.{by_directory}",
    )
