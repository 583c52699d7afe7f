"""One screen about a workspace."""

from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from typing import Any, Final

from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Principal
from adzeguard.core.views.page import Fact, Lines, Page, Section
from adzeguard.core.views.table import Column, Table
from adzeguard.core.wording import age_in_words, some_of, when

_HOSTS_NAMED = 6
_STALE_AFTER = timedelta(days=1)


STATUS_KEYS: Final = (
    "collected_at",
    "source",
    "checked_at",
    "check_is_outdated",
    "findings_by_severity",
    "findings_by_check",
    "mendable",
    "hosts",
    "hosts_unread",
    "hosts_pending",
    "pending_since_at",
    "questions_asked_at",
    "not_followed",
    "odd_rows",
    "letters_kept",
    "leases_over",
    "round_at",
    "interrupted",
    "enactments",
    "compared_since_at",
    "privileged",
    "next_steps",
)
"""What the status says; of the past most of it is None."""


def headcounts(now: Estate, earlier: Estate, groups: Sequence[Principal]) -> list[dict[str, Any]]:
    """Return how many people are in each privileged group, and how that changed since an earlier moment."""
    rows = []
    for group in groups:
        members = len(now.graph.expand(group.id).people)
        known = earlier.graph.position_of(group.id) is not None
        before = len(earlier.graph.expand(group.id).people) if known else 0
        rows.append(
            {
                "group": group.qualified_name,
                "group_sid": group.sid,
                "member_count": members,
                "difference": members - before,
                "foreign_group_count": now.foreign_groups_inside.get(group.id, 0),
            }
        )
    return rows


def status_page(data: Mapping[str, Any], now: datetime) -> Page:
    """Return the screen, as it stands at a moment that is called now."""
    age = now - data["collected_at"]
    old = "" if age < _STALE_AFTER else "  (run adzeguard collect)"
    source = ", ".join(one if "://" in one else one.rpartition("/")[2] for one in data["source"].split(", "))
    sections: list[Section] = [
        Fact("Collected", f"{age_in_words(age)} ago from {source}{old}"),
        *([Fact("Findings", _findings(data, now))] if data["findings_by_severity"] is not None else []),
        Fact("Hosts", _hosts(data)),
    ]
    if data["hosts_pending"]:
        waiting = f"for {data['hosts_pending']} host{'s' * (data['hosts_pending'] != 1)}"
        since = age_in_words(now - data["pending_since_at"])
        sections.append(Fact("Pending", f"{waiting}, the longest for {since}: adzeguard enact --pending"))
    if data["questions_asked_at"]:
        count, since = len(data["questions_asked_at"]), age_in_words(now - min(data["questions_asked_at"]))
        said = f"{count} {'wait' if count != 1 else 'waits'} for an answer, the oldest for {since}: adzeguard questions"
        sections.append(Fact("Questions", said))
    if data["not_followed"]:
        said = f"{some_of(data['not_followed'])} not followed, as the last round found: adzeguard charter lint"
        sections.append(Fact("Rules", said, "high"))
    if data["odd_rows"]:
        said = f"{data['odd_rows']} rows are not as the journal tells, and not acted on: adzeguard journal verify"
        sections.append(Fact("Tampered", said, "critical"))
    if data["letters_kept"]:
        sections.append(Fact("Not told", f"{data['letters_kept']}, tried again by: adzeguard round", "high"))
    if data["interrupted"]:
        sections.append(Fact("Interrupted", f"{data['interrupted']}: adzeguard enact --resume, or --drop", "critical"))
    last = [f"{when(row['made_at'])} by {row['by']}: {row['what']}" for row in data["enactments"]]
    sections.append(Fact("Enactments", last or "none"))
    rows = [
        row | {"difference": f"{row['difference']:+d}" if row["difference"] else "same"} for row in data["privileged"]
    ]
    columns = (
        Column("group", "Privileged group"),
        Column("member_count", "Members", kind="number"),
        Column("difference", f"Since {data['compared_since_at']:%Y-%m-%d}", kind="number"),
    )
    unknown = [row["group"] for row in rows if row["foreign_group_count"]]
    told = [Lines([f"Groups of other domains are in {some_of(unknown)}: how many come by these, is not known here."])]
    return Page(data, [*sections, Table(rows, columns), *(told if unknown else []), *_next(data["next_steps"])])


def _next(steps: Sequence[Mapping[str, str]]) -> list[Section]:
    widest = max((len(step["command"]) for step in steps), default=0)
    lines = [f"  {step['command'].ljust(widest)}  {step['reason']}" for step in steps]
    return [Lines(lines, "Next:")] if lines else []


def _findings(data: Mapping[str, Any], now: datetime) -> str:
    if data["checked_at"] is None:
        return "not checked yet  (run adzeguard check)"
    counts = ", ".join(f"{count} {severity}" for severity, count in data["findings_by_severity"].items()) or "none"
    outdated = "; something was collected since  (run adzeguard check)" if data["check_is_outdated"] else ""
    return f"{counts}, checked {age_in_words(now - data['checked_at'])} ago{outdated}"


def _hosts(data: Mapping[str, Any]) -> str:
    unread: Sequence[str] = data["hosts_unread"]
    names = f", {len(unread)} unread: {some_of(unread, _HOSTS_NAMED)}" if unread else ""
    return f"{data['hosts']}{names}"
