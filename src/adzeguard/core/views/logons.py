"""Where privileged accounts were used, and who tries them."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from typing import Any

from adzeguard.core.trail.event import Event
from adzeguard.core.views.table import Column, Table, data_columns
from adzeguard.core.wording import age_in_words


def used_rows(names: Mapping[str, str], logons: Iterable[tuple[str, Event]]) -> list[dict[str, Any]]:
    """Return one row for each account by its SID: when and from where it was used last, how often, and tried in vain.

    Who was never used comes first, then by age: those are the ones that need not be privileged.
    """
    rows: dict[str, dict[str, Any]] = {
        sid: {
            "account": name,
            "account_sid": sid,
            "last_used": None,
            "last_host": "",
            "last_from": "",
            "logons": 0,
            "refused": 0,
            "refused_from": [],
        }
        for sid, name in names.items()
    }
    for sid, event in logons:
        row = rows[sid]
        if event.verb == "refused":
            row["refused"] += 1
            if event.origin and event.origin not in row["refused_from"]:
                row["refused_from"].append(event.origin)
        else:
            row["logons"] += 1
            row |= {"last_used": event.at, "last_host": event.group, "last_from": event.origin}
    never = [row for row in rows.values() if row["last_used"] is None]
    used = [row for row in rows.values() if row["last_used"] is not None]
    return [*sorted(never, key=lambda row: row["account"]), *sorted(used, key=lambda row: row["last_used"])]


def used_table(rows: Sequence[Mapping[str, Any]], since: datetime, now: datetime) -> Table:
    """Return it for people: who was not used at all stands first."""
    shown = [
        {
            **row,
            "used": f"{age_in_words(now - row['last_used'])} ago" if row["last_used"] else "not once",
            "where": ", ".join(part for part in (row["last_host"], row["last_from"]) if part),
            "tried": _tried(row),
        }
        for row in rows
    ]
    columns = (
        Column("account", "Privileged account"),
        *data_columns("account_sid", "last_used", "last_host", "last_from"),
        Column("used", "Last used", for_people=True),
        Column("where", "From", for_people=True),
        Column("logons", "Logons", kind="number"),
        *data_columns("refused", "refused_from"),
        Column("tried", "Tried in vain", for_people=True, wide=True),
    )
    title = f"Logons of privileged accounts since {since.astimezone():%Y-%m-%d}"
    return Table(shown, columns, title, empty="Nobody is privileged.")


def _tried(row: Mapping[str, Any]) -> str:
    if not row["refused"]:
        return ""
    origins = row["refused_from"]
    more = f" and {len(origins) - 1} more" if len(origins) > 1 else ""
    return f"{row['refused']} times{f' from {origins[0]}{more}' if origins else ''}"


def logons_table(events: Sequence[Event], account: str) -> Table:
    """Return the logons of one account, newest first."""
    rows = [
        {
            "time": event.at,
            "outcome": "refused" if event.verb == "refused" else "let in",
            "host": event.group,
            "from": event.origin,
        }
        for event in reversed(events)
    ]
    columns = (
        Column("time", "When", kind="moment"),
        Column("outcome", "Outcome", kind="word"),
        Column("host", "Host"),
        Column("from", "From", wide=True),
    )
    return Table(rows, columns, f"Logons of {account} ({len(rows)})", empty="No logon is known.")
