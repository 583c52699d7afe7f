"""Proposals, what they come to, and what became of their changes."""

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.membership import MembershipChange
from adzeguard.core.change.outcome import Outcome, Status
from adzeguard.core.change.proposal import Impact, Proposal, by_people
from adzeguard.core.views.page import Lines, Page, Section
from adzeguard.core.views.table import Column, Table, data_columns
from adzeguard.core.wording import some_of

_NAMES_SHOWN = 6
NOTHING = "Nothing to change: what stands is what is wanted."
BY_ITSELF = "Nothing is changed by itself."


def proposal_page(proposal: Proposal) -> Page:
    """Return a proposal: the changes, what they come to, and what is left out."""
    data = proposal.model_dump(mode="json")
    if not proposal.changes and not proposal.left_out:
        return Page(data, [Lines([NOTHING] if not proposal.notes else [BY_ITSELF, *proposal.notes])], verbatim=True)
    sections: list[Section] = [_changes(proposal)]
    moves_members = any(isinstance(change, MembershipChange) for change in proposal.changes)
    if moves_members or proposal.impact != Impact():
        sections.append(impact_lines(proposal.impact))
    if proposal.notes:
        sections.append(Lines(proposal.notes, "Notes", indent=2))
    if proposal.left_out:
        sections.append(_left_out(proposal))
    return Page(data, sections, verbatim=True)


def _changes(proposal: Proposal) -> Table:
    rows = [{"id": c.id, "target": c.target, "order": c.in_words(), "rule": c.rule} for c in proposal.changes]
    columns = (
        Column("id", "Change", fixed=True),
        Column("target", "On"),
        Column("order", "What", wide=True),
        Column("rule", "Rule"),
    )
    title = f"{len(rows)} change{'s' * (len(rows) != 1)}"
    return Table(rows, columns, title, empty="No change can be made.")


def _left_out(proposal: Proposal) -> Table:
    rows = [item.model_dump() for item in proposal.left_out]
    columns = (
        Column("subject", "Where"),
        Column("member", "Who"),
        Column("reason", "Reason", wide=True),
    )
    return Table(rows, columns, f"Left out ({len(rows)})")


def impact_lines(impact: Impact) -> Lines:
    """Return who gains and who loses effective access."""
    return Lines(list(_impact(impact)), "Impact", indent=2)


def _impact(impact: Impact) -> Iterator[str]:
    for group in impact.groups:
        if group.gains:
            yield f"Into {group.group} {_counted(group.gains)}"
        if group.loses:
            yield f"Out of {group.group} {_counted(group.loses)}"
    yield from _ways(impact)
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
    if not (impact.groups or impact.reach or losing or gaining or impact.hosts_touched or impact.other_entries_removed):
        yield "Nobody gains or loses anything: the same access stands through other groups"


def _ways(impact: Impact) -> Iterator[str]:
    for names, groups in by_people(impact.reach, "gains").items():
        yield f"Gain a way into {', '.join(groups)} {_counted(names)}"
    for names, groups in by_people(impact.reach, "loses").items():
        yield f"Lose their way into {', '.join(groups)} {_counted(names)}"


def _counted(names: Sequence[str]) -> str:
    return f"({len(names)}): {some_of(names, _NAMES_SHOWN)}"


def outcomes_table(outcomes: Sequence[Outcome]) -> Table:
    """Return what became of each change."""
    rows = [
        {
            "id": o.change.id,
            "status": str(o.status),
            "target": o.change.target,
            "order": o.change.in_words() + (f": {o.detail}" if o.detail else ""),
            "kind": o.change.kind,
            **_about(o.change),
            "rule": o.change.rule,
            "detail": o.detail,
        }
        for o in outcomes
    ]
    columns = (
        Column("id", "Change", fixed=True),
        Column("status", "Status", kind="word", fixed=True),
        Column("target", "On"),
        Column("order", "What", for_people=True, wide=True),
        *data_columns("kind", "group", "group_sid", "member", "member_sid", "object", "object_sid", "rule", "detail"),
    )
    counts = Counter(str(o.status) for o in outcomes)
    note = ", ".join(f"{count} {status}" for status, count in counts.most_common())
    return Table(rows, columns, "", "\n".join([note, *_reasons(outcomes)]), NOTHING)


def _about(change: Change) -> dict[str, str]:
    """Return the group, the member and the object of a change, each with its SID as far as it is known."""
    sids = {one.name: one.sid for one in change.identities()}
    told = change.about._asdict()
    return {
        key: value for name, one in told.items() for key, value in ((name, one), (f"{name}_sid", sids.get(one, "")))
    }


def _reasons(outcomes: Sequence[Outcome]) -> Iterator[str]:
    """Yield why changes were not made, where several have one reason: of a fleet nobody reads them one by one."""
    targets: dict[tuple[str, str], list[str]] = {}
    for outcome in outcomes:
        if outcome.status != Status.VERIFIED and outcome.detail:
            # What differs in the reasons of many hosts is their name.
            reason = outcome.detail.replace(outcome.change.target, "it").removeprefix("it ")
            targets.setdefault((str(outcome.status), reason), []).append(outcome.change.target)
    for (status, reason), names in sorted(targets.items(), key=lambda item: -len(item[1])):
        if len(names) > 1:
            yield f"{len(names)} {status}: {reason} ({some_of(list(dict.fromkeys(names)))})"


def compared_table(rows: Sequence[dict[str, object]]) -> Table:
    """Return what differs between two moments: memberships, objects, policies and their links, rights."""
    held = {True: "directly", False: "through others"}
    shown = [row | {"held": row["detail"] or held.get(row["direct"], "")} for row in rows]  # type: ignore[call-overload]
    columns = (
        Column("about", "About", fixed=True),
        Column("subject", "Where"),
        Column("change", "Change", fixed=True),
        Column("member", "Who"),
        *data_columns("subject_sid", "member_sid", "kind", "direct", "detail"),
        Column("held", "How", for_people=True, wide=True),
    )
    counts = Counter((str(row["about"]), str(row["change"])) for row in rows)
    abouts = dict.fromkeys(about for about, _ in counts)
    note = "; ".join(f"{about}: {_changes_of(counts, about)}" for about in abouts)
    return Table(shown, columns, "", note, "Nothing differs.")


def _changes_of(counts: Mapping[tuple[str, str], int], about: str) -> str:
    return ", ".join(f"{count} {change}" for (what, change), count in counts.items() if what == about)
