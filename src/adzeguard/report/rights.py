"""What was granted, who reaches a group, and what to take away, as listings."""

from collections.abc import Sequence
from dataclasses import dataclass

from adzeguard.core.descriptors.ace import AceFlag
from adzeguard.core.estate.principal import Kind
from adzeguard.core.review.proposed_cut import ProposedCut
from adzeguard.core.rights.delegations import Delegation
from adzeguard.core.rights.reach import Reaching
from adzeguard.report.listing import Column, Listing, Row

_REACHES = {0: "this", 2: "this and below", 10: "below"}


def grants_listing(found: Sequence[Delegation]) -> Listing:
    """Return the grants in words."""
    rows: list[Row] = [
        {
            "holder": d.holder.qualified_name,
            "holder_kind": d.holder.kind.label,
            "may": not d.grant.deny,
            "duty": d.grant.duty,
            "over": d.where,
            "reach": _REACHES.get(d.grant.flags & ~(AceFlag.INHERITED | AceFlag.OBJECT_INHERIT), "this"),
            "origin": d.origin,
            "sentence": d.sentence,
            "_duty": d.grant.duty or "plain rights",
        }
        for d in found
    ]
    columns = (Column("sentence", "What", ratio=1), Column("_duty", "Duty"), Column("origin", "From"))
    denied = sum(d.grant.deny for d in found)
    note = f"{len(rows) - denied} given, {denied} denied"
    return Listing(rows, columns, "", note, "Nothing but what every such object has; see --defaults.")


_NO_GROUP = {Kind.USER: "a person", Kind.UNRESOLVED: "resolves to nothing", Kind.WELL_KNOWN: "everybody"}


@dataclass(frozen=True)
class Matrix:
    """Holders against places; each cell holds the duties with a sign for denials."""

    holders: tuple[str, ...]
    places: tuple[str, ...]
    cells: dict[tuple[str, str], tuple[str, ...]]
    kinds: dict[str, str]
    """What each holder is, where it is no group."""


def matrix_of(found: Sequence[Delegation]) -> Matrix:
    """Put grants into a matrix, in the order in which they come."""
    cells: dict[tuple[str, str], list[str]] = {}
    for d in found:
        what = ("not " if d.grant.deny else "") + (d.grant.duty or d.grant.words)
        listed = cells.setdefault((d.where, d.holder.qualified_name), [])
        listed += [what] if what not in listed else []
    places = tuple(dict.fromkeys(place for place, _ in cells))
    holders = tuple(sorted({holder for _, holder in cells}, key=str.casefold))
    kinds = {d.holder.qualified_name: _NO_GROUP[d.holder.kind] for d in found if d.holder.kind in _NO_GROUP}
    return Matrix(holders, places, {key: tuple(listed) for key, listed in cells.items()}, kinds)


def matrix_listing(matrix: Matrix) -> Listing:
    """Return the matrix as rows: one for each place, one column for each holder."""
    rows: list[Row] = [
        {"over": place, **{h: "; ".join(matrix.cells.get((place, h), ())) for h in matrix.holders}}
        for place in matrix.places
    ]
    return Listing(rows, (Column("over", "Over"), *(Column(h, h) for h in matrix.holders)))


def reach_listing(found: Sequence[Reaching], group: str) -> Listing:
    """Return everybody who is or could become a member."""
    rows: list[Row] = [
        {
            "name": r.principal.name,
            "qualified_name": r.principal.qualified_name,
            "sid": r.principal.sid,
            "kind": r.principal.kind.label,
            "enabled": r.principal.enabled,
            "member": r.member,
            "steps": len(r.chain),
            "chain": r.words,
            "_is": "is a member" if r.member else "could become one",
        }
        for r in found
    ]
    members = sum(r.member for r in found)
    note = f"{members} are members, {len(found) - members} could become one"
    columns = (Column("qualified_name", "Who"), Column("_is", "Reach", fixed=True), Column("chain", "How", ratio=1))
    return Listing(rows, columns, f"Reach {group}", note, "Nobody reaches it.")


def cut_listing(proposal: ProposedCut, group: str) -> Listing:
    """Return what to take away."""
    rows: list[Row] = [
        {"what": words, "kind": "membership" if edge.is_membership else "grant"}
        for edge, words in zip(proposal.edges, proposal.words, strict=True)
    ]
    names = ", ".join(sorted(p.qualified_name for p in proposal.named))
    note = f"{len(proposal.unwanted)} others reach it now; then only: {names or 'nobody'}"
    if proposal.stays_open:
        note = f"Some way stays open that neither a grant nor a membership gives, such as ownership. {note}"
    columns = (Column("kind", "Take away", fixed=True), Column("what", "What", ratio=1))
    return Listing(rows, columns, f"The smallest cut before {group}", note, "Nothing: only the named reach it.")
