"""What was granted, what a duty is, who reaches a group, and what to take away."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from adzeguard.core.descriptors.ace import Ace, AceFlag, AceKind
from adzeguard.core.estate.principal import Kind
from adzeguard.core.rights.delegations import Delegation, Rights
from adzeguard.core.rights.over_hosts import Proof
from adzeguard.core.rights.reach_words import OverHostsFound, Reaching
from adzeguard.core.values import dataclass
from adzeguard.core.views.identities import identity
from adzeguard.core.views.table import Column, Table, data_columns
from adzeguard.core.wellknown import WELL_KNOWN, is_built_in_group
from adzeguard.core.wording import counted_noun

if TYPE_CHECKING:
    from adzeguard.core.review.documented import Documented
    from adzeguard.core.review.proposed_cut import ProposedCut

_EXTENTS = {
    0: "this",
    int(AceFlag.CONTAINER_INHERIT): "this and below",
    int(AceFlag.CONTAINER_INHERIT | AceFlag.INHERIT_ONLY): "below",
}
_NOT_OF_THE_EXTENT = ~(AceFlag.INHERITED | AceFlag.OBJECT_INHERIT)


def grants_table(delegations: Sequence[Delegation], documented: "Documented | None", folded: int = 0) -> Table:
    """Return grants in words, and whether a rule asks for each; without what is documented, nothing is said of that.

    `folded` is how many that every domain is born with are left out.
    """

    def is_said(one: Delegation) -> bool | None:
        return documented.covers(one.over.dn, one.grant.entries) if documented and not one.grant.inherited else None

    rows = [
        {
            "holder": d.holder.qualified_name,
            "holder_sid": d.holder.sid,
            "holder_kind": d.holder.label,
            "may": not d.grant.deny,
            "duty": d.grant.duty,
            "over": d.where,
            "over_sid": d.over.sid,
            "extent": _extent(d),
            "origin": d.origin,
            "documented": (said := is_said(d)),
            "written": "" if said is None else "by a rule" if said else "nowhere",
            "sentence": d.sentence,
            "named": d.grant.duty or ("attributes" if d.grant.only_attributes else "plain rights"),
        }
        for d in delegations
    ]
    columns = (
        *data_columns("holder", "holder_sid", "holder_kind", "may", "duty", "over", "over_sid", "extent", "documented"),
        Column("sentence", "What", wide=True),
        Column("named", "Duty", for_people=True),
        Column("origin", "From"),
        Column("written", "Written down", for_people=True, fixed=True),
    )
    denied = sum(d.grant.deny for d in delegations)
    note = f"{len(rows) - denied} given, {denied} denied"
    if folded:
        note += f"; {folded} more from above that every domain is born with: --defaults"
    return Table(rows, columns, "", note, "Nothing but what every such object has; see --defaults.")


def _extent(one: Delegation) -> str:
    return _EXTENTS.get(one.grant.flags & _NOT_OF_THE_EXTENT, "this")


def duties_table(rights: Rights) -> Table:
    """Return the duties and what each lets one do."""
    anybody = WELL_KNOWN["everyone"]
    rows = []
    for duty in rights.duties.values():
        entries = (Ace(AceKind.ALLOW, 0, part.mask, anybody, part.about) for part in duty.parts)
        parts = "; ".join(dict.fromkeys(rights.reader.in_words(entry) for entry in entries))
        rows.append({"duty": duty.name, "lets": f"may {duty.words}", "rights": parts})
    columns = (Column("duty", "Duty", fixed=True), Column("lets", "Who has it"), Column("rights", "Rights", wide=True))
    return Table(rows, columns)


@dataclass(frozen=True)
class Matrix:
    """Holders against places; each cell holds the duties with a sign for denials."""

    holders: tuple[str, ...]
    places: tuple[str, ...]
    cells: dict[tuple[str, str], tuple[str, ...]]
    kinds: dict[str, str]
    """What each holder is, where it is no group."""


_NO_GROUP = {Kind.USER: "a person", Kind.UNRESOLVED: "resolves to nothing", Kind.WELL_KNOWN: "everybody"}


def matrix_of(delegations: Sequence[Delegation]) -> Matrix:
    """Put grants into a matrix, in the order in which they come."""
    cells: dict[tuple[str, str], list[str]] = {}
    for d in delegations:
        what = ("not " if d.grant.deny else "") + (d.grant.duty or d.grant.words)
        extent = _extent(d)
        what += f" ({extent})" if extent != "this" else ""
        listed = cells.setdefault((d.where, d.holder.qualified_name), [])
        listed += [what] if what not in listed else []
    places = tuple(dict.fromkeys(place for place, _ in cells))
    holders = tuple(sorted({holder for _, holder in cells}, key=str.casefold))
    no_groups = [d.holder for d in delegations if d.holder.kind in _NO_GROUP and not is_built_in_group(d.holder.sid)]
    kinds = {holder.qualified_name: _NO_GROUP[holder.kind] for holder in no_groups}
    return Matrix(holders, places, {key: tuple(listed) for key, listed in cells.items()}, kinds)


def matrix_table(matrix: Matrix) -> Table:
    """Return the matrix as rows: one for each place, one column for each holder."""
    rows = [
        {"over": place, **{h: "; ".join(matrix.cells.get((place, h), ())) for h in matrix.holders}}
        for place in matrix.places
    ]
    return Table(rows, (Column("over", "Over"), *(Column(h, h) for h in matrix.holders)))


def reach_table(reaching: Sequence[Reaching], group: str, ruling: int = 0) -> Table:
    """Return everybody who is or could become a member; `ruling` more do so by controlling the whole directory."""
    members = sum(r.member for r in reaching)
    note = f"{members} are members, {len(reaching) - members} could become one"
    return _reach(reaching, group, note + _more(ruling))


def reach_over_hosts_table(found: OverHostsFound, group: str, open_hosts: int = 0) -> Table:
    """Return the same with ways over hosts, each told once, and how well it is proved.

    `open_hosts` is on how many further ones a member may log on.
    """
    members = sum(r.member for r in found.told)
    could = sum(not r.member and not r.over_hosts for r in found.told) + found.by_hosts_alone
    note = f"{members} are members, {could} could become one{_more(found.ruling)}"
    note += f"\n{found.by_hosts_alone} of them by a host alone; the best proved ways come first."
    if found.is_cut_short:
        note += "\nMore ways lead there: these are the nearest of them."
    if open_hosts:
        note += f"\nNothing refuses members logon at {counted_noun(open_hosts, 'more host')} that others administer:"
        note += " a rule with no-privileged-logons does."
    return _reach(found.told, group, note, "people", "over_hosts", "proof")


def _more(ruling: int) -> str:
    if not ruling:
        return ""
    return f"; {ruling} more reach it by controlling the whole directory: --with-directory names them"


def _reach(reaching: Sequence[Reaching], group: str, note: str, *beside: str) -> Table:
    rows = [
        {
            **identity(r.principal),
            "is": _reach_in_words(r),
            "is_member": r.member,
            "steps": len(r.chain),
            "path": r.names,
            "sentence": r.words,
            "people": r.people,
            "over_hosts": r.over_hosts,
            "proof": Proof(r.proof).label if r.over_hosts else None,
        }
        for r in reaching
    ]
    columns = (
        Column("name"),
        Column("qualified_name", "Who"),
        *data_columns("sid", "kind", "enabled"),
        Column("is", "Reach", for_people=True, fixed=True),
        *data_columns("is_member", "steps", "path", *beside),
        Column("sentence", "How", wide=True),
    )
    return Table(rows, columns, f"Reach {group}", note, "Nobody reaches it.")


def _reach_in_words(one: Reaching) -> str:
    if one.member:
        return "is a member"
    return "could become one" if one.people == 1 else f"{one.people} could become one"


def cut_table(cut: "ProposedCut", group: str) -> Table:
    """Return what to take away."""
    rows = [
        {
            "what": part.words,
            "kind": part.kind,
            "holder": part.holder.qualified_name,
            "holder_sid": part.holder.sid,
            "over": part.over.dn or part.over.qualified_name,
            "over_sid": part.over.sid,
        }
        for part in cut.parts
    ]
    names = ", ".join(sorted(p.qualified_name for p in cut.named))
    note = f"{len(cut.unwanted)} others reach it now; then only: {names or 'nobody'}"
    if cut.stays_open:
        note = f"Some way stays open that neither a grant nor a membership gives, such as ownership. {note}"
    data = data_columns("holder", "holder_sid", "over", "over_sid")
    columns = (Column("kind", "Take away", fixed=True), Column("what", "What", wide=True), *data)
    title = f"The smallest cut before {group}"
    return Table(rows, columns, title, note, "Nothing: only the named reach it.")
