"""What was read of logs, what they tell, and what is missing."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from typing import Any, Final

from adzeguard.core.trail.audit_coverage import Gap
from adzeguard.core.views.page import Fact, Lines, Page, Section
from adzeguard.core.views.table import Column, Table
from adzeguard.core.wording import age_in_words, when

_WORDS: Final = {
    "added": "put into groups",
    "removed": "taken out of groups",
    "created": "objects made",
    "changed": "objects changed",
    "moved": "objects moved",
    "deleted": "objects deleted",
    "logon": "logons",
    "refused": "refused logons",
    "cleared": "logs cleared",
}
SWITCH_ON: Final = (
    "A Samba server logs it with this in smb.conf:",
    "  log level = 1 dsdb_json_audit:5 dsdb_group_json_audit:5 auth_json_audit:3",
    "An event log has it where the audit of security groups, of distribution groups, of directory changes and of",
    "logons is on for success and failure.",
)


def imported_page(
    read: int,
    events: int,
    already_known: int,
    set_aside: int,
    reasons: Mapping[str, int],
    passed_over: Mapping[str, int],
) -> Page:
    """Return what an import came to."""
    data = {"read": read, "events": events, "already_known": already_known, "set_aside": set_aside}
    sections: list[Section] = [
        Fact("Records read", str(read)),
        Fact("New events", str(events)),
        Fact("Known already", str(already_known)),
    ]
    if passed_over:
        kinds = [f"{count} of {kind}" for kind, count in sorted(passed_over.items(), key=lambda item: -item[1])]
        sections.append(Fact(f"Passed over ({sum(passed_over.values())})", [*kinds, "they tell nothing that is kept"]))
    if set_aside:
        lines = [f"{count} because {why}" for why, count in sorted(reasons.items(), key=lambda item: -item[1])]
        sections.append(Fact(f"Set aside ({set_aside})", [*lines, "see: adzeguard trail aside"]))
    counted = {"reasons": dict(sorted(reasons.items())), "passed_over": dict(sorted(passed_over.items()))}
    return Page({**data, **counted}, sections)


def aside_table(aside: Iterable[tuple[str, str, str]]) -> Table:
    """Return what could not be read."""
    rows = [{"source": source, "reason": reason, "text": text} for source, reason, text in aside]
    columns = (Column("source", "From"), Column("reason", "Because"), Column("text", "Record", wide=True))
    return Table(rows, columns, title=f"Set aside: {len(rows)}", empty="Everything could be read.")


def support_page(
    moments: Sequence[tuple[str, datetime, datetime, int]], gaps: Sequence[Gap], missing: Sequence[str]
) -> Page:
    """Return what a trail tells, and what it does not."""
    data: dict[str, Any] = {
        "events_by_verb": [
            {"verb": verb, "first_at": first, "last_at": last, "count": count} for verb, first, last, count in moments
        ],
        "gaps": [{"begins_at": gap.begin, "ends_at": gap.end} for gap in gaps],
        "missing": list(missing),
    }
    rows = [
        {"what": _WORDS[verb], "first_at": first, "last_at": last, "count": count}
        for verb, first, last, count in moments
    ]
    columns = (
        Column("what", "Events"),
        Column("first_at", "Since", kind="moment"),
        Column("last_at", "Until", kind="moment"),
        Column("count", "Count", kind="number"),
    )
    sections: list[Section] = [Table(rows, columns, empty="No event is known.")]
    if gaps:
        told = [f"{age_in_words(gap.length)} from {when(gap.begin)} to {when(gap.end)}" for gap in gaps]
        sections.append(Lines(told, f"Without any event, longer than usual ({len(gaps)})", indent=2))
    if missing:
        sections.append(Lines([f"Not a single one about {', '.join(missing)}.", *SWITCH_ON], "Missing", indent=2))
    return Page(data, sections)
