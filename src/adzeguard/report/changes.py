"""What propose, enact and check show."""

from collections import Counter
from collections.abc import Iterator, Sequence
from typing import Any, Protocol

from rich.padding import Padding
from rich.text import Text

from adzeguard.core.change.changes import Change, members_only
from adzeguard.core.change.proposal import Impact, Proposal
from adzeguard.core.checks.finding import Finding, Severity
from adzeguard.report.listing import ROWS_SHOWN, Column, Listing, Row, as_text, text_console
from adzeguard.report.safe import for_terminal

_NAMES_SHOWN = 6


class _Outcome(Protocol):
    @property
    def change(self) -> Change: ...
    @property
    def status(self) -> str: ...
    @property
    def detail(self) -> str: ...


def findings_listing(findings: Sequence[Finding]) -> Listing:
    """Return the findings, worst first."""
    rows: list[Row] = [
        {
            "severity": f.severity.label,
            "check": f.check,
            "subject": f.subject,
            "member": f.member,
            "message": f.message,
            "rule": f.rule,
            "owner": f.owner,
            "response": f.response,
            "fingerprint": f.fingerprint,
            "evidence": f.evidence,
        }
        for f in findings
    ]
    # Only what a table shows is laid out for it: there can be a finding for each of many hosts.
    for row, finding in zip(rows[:ROWS_SHOWN], findings, strict=False):
        row["_what"] = _what(finding)
    counts = Counter(f.severity for f in findings)
    told = ", ".join(f"{counts[s]} {s.label}" for s in sorted(Severity, reverse=True) if counts[s])
    columns = (
        Column("severity", "Severity", fixed=True),
        Column("subject", "Where"),
        Column("_what", "What", ratio=1),
    )
    return Listing(rows, columns, "", told, "Nothing deviates.")


def _what(finding: Finding) -> Text:
    """The message, and below it where it comes from: the rule with its response, or the built-in check."""
    origin = ", ".join(part for part in (finding.rule, finding.response) if part) or finding.check
    return Text(f"{for_terminal(finding.message)}\n") + Text(for_terminal(origin), style="dim")


def proposal_text(proposal: Proposal, *, colour: bool) -> str:
    """Return a proposal for people: the changes, what they come to, and what is left out."""
    if not proposal.changes and not proposal.left_out:
        return "Nothing to change: what stands is what is wanted.\n"
    rows: list[Row] = [
        {"id": c.id, "target": c.target, "_order": c.in_words(), "rule": c.rule} for c in proposal.changes
    ]
    columns = (
        Column("id", "Change", fixed=True),
        Column("target", "On"),
        Column("_order", "What", ratio=1),
        Column("rule", "Rule"),
    )
    title = f"{len(proposal.changes)} change{'s' * (len(proposal.changes) != 1)}"
    parts = [as_text(Listing(rows, columns, title, empty="No change can be made."), colour=colour)]
    parts += (
        [impact_text(proposal, colour=colour)] if members_only(proposal.changes) or proposal.impact != Impact() else []
    )
    parts += [_notes_text(proposal, colour=colour)] if proposal.notes else []
    if proposal.left_out:
        left: list[Row] = [item.model_dump() for item in proposal.left_out]
        shown = (
            Column("subject", "Where"),
            Column("member", "Who"),
            Column("reason", "Why it is left out", ratio=1),
        )
        parts.append(as_text(Listing(left, shown, f"Left out ({len(left)})"), colour=colour))
    return "\n".join(parts)


def _notes_text(proposal: Proposal, *, colour: bool) -> str:
    console = text_console(colour=colour)
    console.print(Text("Worth knowing", style="bold"))
    for note in proposal.notes:
        console.print(Padding(Text(for_terminal(note)), (0, 0, 0, 2)))
    return str(console.file.getvalue())  # type: ignore[attr-defined]


def impact_text(proposal: Proposal, *, colour: bool) -> str:
    """Return who gains and who loses effective access."""
    console = text_console(colour=colour)
    console.print(Text("What it comes to", style="bold"))
    for line in _impact_lines(proposal.impact):
        console.print(Padding(Text(for_terminal(line)), (0, 0, 0, 2)))
    return str(console.file.getvalue())  # type: ignore[attr-defined]


def _impact_lines(impact: Impact) -> Iterator[str]:
    for group in impact.groups:
        if group.gains:
            yield f"Into {group.group} {_counted(group.gains)}"
        if group.loses:
            yield f"Out of {group.group} {_counted(group.loses)}"
    losing = [f"{p.person} ({p.loses_hosts})" for p in impact.people if p.loses_hosts]
    gaining = [f"{p.person} ({p.gains_hosts})" for p in impact.people if p.gains_hosts]
    if losing:
        yield f"Administer fewer hosts {_counted(losing)}"
    if gaining:
        yield f"Administer more hosts {_counted(gaining)}"
    if impact.other_entries_removed:
        entries = "entry" if impact.other_entries_removed == 1 else "entries"
        yield f"{impact.other_entries_removed} local or unresolved {entries} taken out of hosts"
    if impact.hosts_touched:
        yield f"{impact.hosts_touched} host{'s' * (impact.hosts_touched != 1)} touched"
    if not (impact.groups or losing or gaining or impact.hosts_touched or impact.other_entries_removed):
        yield "Nobody gains or loses anything: the same access stands through other groups"


def _counted(names: Sequence[str]) -> str:
    return f"({len(names)}): {_shortened(names)}"


def _shortened(names: Sequence[str]) -> str:
    return ", ".join(names[:_NAMES_SHOWN]) + (
        f" and {len(names) - _NAMES_SHOWN} more" if len(names) > _NAMES_SHOWN else ""
    )


def outcomes_listing(outcomes: Sequence[_Outcome]) -> Listing:
    """Return what became of each change."""
    rows: list[Row] = [
        {
            "id": o.change.id,
            "status": str(o.status),
            "target": o.change.target,
            "verb": str(o.change.verb),
            "group": o.change.about[0],
            "member": o.change.about[1],
            "object": o.change.about[2],
            "rule": o.change.rule,
            "detail": o.detail,
            "_order": o.change.in_words() + (f": {o.detail}" if o.detail else ""),
        }
        for o in outcomes
    ]
    columns = (
        Column("id", "Change", fixed=True), Column("status", "Status", fixed=True), Column("target", "On"),
        Column("_order", "What", ratio=1),
    )  # fmt: skip
    counts = Counter(str(o.status) for o in outcomes)
    note = ", ".join(f"{count} {status}" for status, count in counts.most_common())
    return Listing(rows, columns, "", note, "Nothing to change: what stands is what is wanted.")


def journal_listing(rows: Sequence[dict[str, Any]]) -> Listing:
    """Return rows of the journal."""
    columns = (
        Column("seq", "Row", right=True),
        Column("at", "When"),
        Column("by", "By"),
        Column("kind", "Kind"),
        Column("what", "What", ratio=1),
    )
    return Listing(rows, columns, "", f"{len(rows)} rows", "The journal is empty.")
