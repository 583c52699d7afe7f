"""What a check found."""

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Final

from adzeguard.core.check_row import Severity
from adzeguard.core.checks.counts import counts_of
from adzeguard.core.checks.finding import Finding
from adzeguard.core.checks.next_command import advice_on, next_command
from adzeguard.core.views.table import Column, Noted, Row, Table, data_columns
from adzeguard.core.wording import some_of

_FOLDED_FROM: Final = 4
"""Alike findings of so many places are one for people: fifty hosts that lack one group lack one thing."""
_NAMED: Final = 3
_STEPS: Final = 6


def folded_table(findings: Sequence[Finding]) -> Table:
    """Return the findings for people: what is alike in many places is one row that names some of them."""
    alike: dict[tuple[object, ...], list[Finding]] = {}
    for one in findings:
        alike.setdefault((one.check, one.rule, one.message, one.response), []).append(one)
    folded = [one for group in alike.values() if len(group) >= _FOLDED_FROM for one in group]
    hidden = {id(one) for one in folded}
    first = {id(group[0]): group for group in alike.values() if len(group) >= _FOLDED_FROM}
    shown = [one for one in findings if id(one) not in hidden or id(one) in first]
    whole = findings_table(shown)
    rows = [
        {**row, "subject": some_of([f.subject.name for f in first[id(one)]], _NAMED), "places": len(first[id(one)])}
        if id(one) in first
        else {**row, "places": None}
        for one, row in zip(shown, whole.rows, strict=True)
    ]
    columns = [*whole.columns[:3], Column("places", "Places", kind="number", for_people=True), *whole.columns[3:]]
    note = "Use --each to list findings that are alike one by one." if first else ""
    return replace(
        whole,
        rows=rows,
        columns=columns if first else whole.columns,
        title=counted(findings),
        note=note,
    )


def findings_table(findings: Sequence[Finding]) -> Table:
    """Return the findings in their order, worst first."""
    rows = [
        {
            "severity": f.severity.label,
            "check": f.check,
            "subject": f.subject.name,
            "subject_sid": f.subject.sid,
            "what": Noted(f.message, _origin(f)),
            "member": f.member_name,
            "member_sid": f.member.sid if f.member else "",
            "message": f.message,
            "rule": f.rule,
            "owner": f.owner,
            "response": f.response,
            "fingerprint": f.fingerprint,
            "evidence": f.evidence,
            "advice": advice_on(f),
            "next": next_command(f),
        }
        for f in findings
    ]
    columns = (
        Column("severity", "Severity", kind="word", fixed=True),
        Column("check"),
        Column("subject", "Where"),
        Column("what", "What", kind="noted", for_people=True, wide=True),
        *data_columns(
            "subject_sid",
            "member",
            "member_sid",
            "message",
            "rule",
            "owner",
            "response",
            "fingerprint",
            "evidence",
            "advice",
            "next",
        ),
    )
    return Table(rows, columns, counted(findings), "", "Nothing deviates.", _next_steps)


def _next_steps(rows: Sequence[Row]) -> list[str]:
    """Return the commands that go on from these rows, the worst first, one for each rule or check."""
    steps: dict[str, str] = {}
    for row in rows:
        if row["severity"] != Severity.NOTE.label and len(steps) < _STEPS:
            steps.setdefault(row["rule"] or row["check"], row["next"])
    return [command if about in command else f"{command}  # {about}" for about, command in steps.items()]


def _origin(finding: Finding) -> str:
    """Return where a finding comes from: the rule with its response, or the built-in check."""
    return ", ".join(part for part in (finding.rule, finding.response) if part) or finding.check


def counted(findings: Iterable[Finding]) -> str:
    """Return the same for people."""
    return ", ".join(f"{count} {label}" for label, count in counts_of(findings).items())
