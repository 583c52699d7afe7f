"""The checks themselves: what each looks for, why it matters, and how to put it right."""

from collections import Counter
from collections.abc import Collection, Sequence

from adzeguard.core.checks.check import Check
from adzeguard.core.checks.finding import Finding
from adzeguard.core.views.page import Fact, Page, Section
from adzeguard.core.views.table import Column, Table

_SHOWN = 8


def checks_table(checks: Sequence[Check], on: Collection[str], findings: Sequence[Finding]) -> Table:
    """Return one row for each check, with what it finds now."""
    counts = Counter(finding.check for finding in findings)
    rows = [
        {
            "id": check.id,
            "title": check.title,
            "severity": check.severity.label,
            "enabled": check.id in on,
            "finding_count": counts[check.id],
        }
        for check in checks
    ]
    columns = (
        Column("id", "Check", fixed=True),
        Column("severity", "Severity", kind="word"),
        Column("title", "What it finds", wide=True),
        Column("enabled", "On"),
        Column("finding_count", "Now", kind="number"),
    )
    return Table(rows, columns, "", f"{len(rows)} checks; more of one: adzeguard check --explain CHECK")


def check_page(check: Check, findings: Sequence[Finding], *, on: bool) -> Page:
    """Return one check in full, with what it finds now."""
    found = [one for one in findings if one.check == check.id]
    keys = check.evidence
    data = {
        "id": check.id,
        "title": check.title,
        "matters": check.matters,
        "mend": check.mend,
        "severity": check.severity.label,
        "enabled": on,
        "evidence_keys": list(keys),
        "finding_count": len(found),
    }
    sections: list[Section] = [
        Fact("Finds", check.title),
        Fact("Matters", check.matters),
        Fact("Put right", check.mend),
        Fact("Severity", check.severity.label if on else f"{check.severity.label}, and off in this workspace"),
    ]
    if keys:
        sections.append(Fact("Evidence", ", ".join(keys)))
    if found:
        more = [f"and {len(found) - _SHOWN} more: adzeguard check --where check={check.id}"][: len(found) > _SHOWN]
        lines = [f"{one.subject.name}: {one.message}" for one in found[:_SHOWN]]
        sections.append(Fact(f"Now ({len(found)})", [*lines, *more]))
    return Page(data, sections, check.id)
