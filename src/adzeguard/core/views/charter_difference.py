"""What differs between two charters, and what would follow."""

from collections.abc import Iterator, Sequence
from typing import Any

from adzeguard.core.change.change import Change
from adzeguard.core.change.proposal import Impact
from adzeguard.core.charter.difference import RuleDifference
from adzeguard.core.review.charter_effect import CharterEffect
from adzeguard.core.review.correction import Correction
from adzeguard.core.views.changes import impact_lines
from adzeguard.core.views.page import Lines, Page, Section
from adzeguard.core.views.table import Column, Row, Table
from adzeguard.core.wording import counted_noun, some_of

_NAMED = 3


def charter_difference_page(
    rules: Sequence[RuleDifference],
    effect: CharterEffect,
    impact: Impact,
    refusals: Sequence[str],
    sizes: Sequence[str],
) -> Page:
    """Return the rules that differ, what a proposal would change, what checks would find, and what guards say."""
    data = {
        "rules": [{"rule": r.rule, "change": r.change, "says": "; ".join(r.says), "place": r.place} for r in rules],
        "changes": [*_changes_data(effect.made, "made"), *_changes_data(effect.no_longer_made, "no longer made")],
        "findings": [*_found_data(effect.found, "found"), *_found_data(effect.no_longer_found, "no longer found")],
        "hosts": len(_hosts(effect)),
        "impact": impact.model_dump(mode="json"),
        "refusals": list(refusals),
        "sizes": list(sizes),
    }
    if not (data["rules"] or data["changes"] or data["findings"]):
        return Page(data, [Lines(["No rule differs, and nothing would follow."])])
    return Page(data, [_rules(rules), *_follows(effect, impact, refusals, sizes)])


def what_follows(effect: CharterEffect, impact: Impact, refusals: Sequence[str], sizes: Sequence[str]) -> Page:
    """Return what follows from one rule that is written, for people."""
    return Page({}, list(_follows(effect, impact, refusals, sizes)))


def _rules(rules: Sequence[RuleDifference]) -> Table:
    rows = [{"change": r.change, "rule": r.rule, "says": "\n".join(r.says), "place": r.place} for r in rules]
    columns = (
        Column("change", "Rule is", kind="word", fixed=True),
        Column("rule", "Rule"),
        Column("says", "Says", wide=True),
        Column("place", "Place"),
    )
    title = f"{counted_noun(len(rows), 'rule')} differ{'s' * (len(rows) == 1)}"
    return Table(rows, columns, title, empty="No rule differs.")


def _follows(effect: CharterEffect, impact: Impact, refusals: Sequence[str], sizes: Sequence[str]) -> Iterator[Section]:
    changes = [*_folded_changes(effect.made, "made"), *_folded_changes(effect.no_longer_made, "no longer made")]
    yield _effects("Change", changes, "Changes by a proposal", "A proposal changes the same as before.")
    if effect.made:
        yield impact_lines(impact)
    found = [*_folded_found(effect.found, "found"), *_folded_found(effect.no_longer_found, "no longer found")]
    yield _effects("Finding", found, "Findings of a check", "A check finds the same as before.")
    if refusals:
        yield Lines(list(refusals), "Guards refuse these changes", indent=2)
    if sizes:
        yield Lines(list(sizes), "Past a limit", indent=2)


def _effects(about: str, rows: Sequence[Row], title: str, empty: str) -> Table:
    columns = (
        Column("effect", f"{about} is", kind="word", fixed=True),
        Column("what", "What", wide=True),
        Column("where", "Where"),
        Column("places", "Places", kind="number"),
        Column("rule", "Rule"),
    )
    return Table(rows, columns, title, empty=empty)


def _folded_changes(changes: Sequence[Change], effect: str) -> list[dict[str, Any]]:
    # What differs in the orders of many hosts is their name.
    return _folded(
        (
            (c.in_words().replace(c.target, "the host") if c.host_name else c.in_words(), c.target, c.rule)
            for c in changes
        ),
        effect,
    )


def _folded_found(found: Sequence[Correction], effect: str) -> list[dict[str, Any]]:
    return _folded(((one.message, one.subject.name, one.rule) for one in found), effect)


def _folded(items: Any, effect: str) -> list[dict[str, Any]]:
    alike: dict[tuple[str, str], dict[str, None]] = {}
    for what, where, rule in items:
        alike.setdefault((what, rule), {})[where] = None
    return [
        {
            "effect": effect,
            "what": what,
            "rule": rule,
            "where": some_of(list(places), _NAMED),
            "places": len(places) if len(places) > 1 else None,
        }
        for (what, rule), places in alike.items()
    ]


def _changes_data(changes: Sequence[Change], effect: str) -> list[dict[str, Any]]:
    return [
        {"effect": effect, "kind": c.kind, "target": c.target, "order": c.in_words(), "rule": c.rule} for c in changes
    ]


def _found_data(found: Sequence[Correction], effect: str) -> list[dict[str, Any]]:
    return [
        {
            "effect": effect,
            "check": one.check,
            "rule": one.rule,
            "subject": one.subject.name,
            "subject_sid": one.subject.sid,
            "member": one.member.name if one.member else None,
            "member_sid": one.member.sid if one.member else None,
            "host": one.host.name if one.host else None,
            "message": one.message,
            "fingerprint": one.fingerprint,
        }
        for one in found
    ]


def _hosts(effect: CharterEffect) -> set[str]:
    changed = {change.host_name.casefold() for change in (*effect.made, *effect.no_longer_made) if change.host_name}
    return changed | {one.host.name.casefold() for one in (*effect.found, *effect.no_longer_found) if one.host}
