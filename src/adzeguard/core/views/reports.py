"""Reports: what a manager or an auditor reads, as tables one after the other."""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from datetime import datetime
from typing import Any, Final

from adzeguard.core.access.members import members_of
from adzeguard.core.charter.charter import Charter
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.cleaning.stale.found import Stale
from adzeguard.core.cleaning.stale.kinds import StaleKind
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.moments import moment
from adzeguard.core.estate.names import on_host
from adzeguard.core.estate.places import short_dn
from adzeguard.core.estate.principal import Principal
from adzeguard.core.identity import parent_dn
from adzeguard.core.review.documented import documented_entries
from adzeguard.core.review.ways_in import ways_in
from adzeguard.core.rights.delegations import Rights, sorted_for_people
from adzeguard.core.rights.over_hosts import Proof
from adzeguard.core.rights.reach_words import Reaching
from adzeguard.core.values import dataclass
from adzeguard.core.views.members import through
from adzeguard.core.views.page import Lines, Page, Picture
from adzeguard.core.views.rights import grants_table
from adzeguard.core.views.table import Column, Table, data_columns
from adzeguard.core.wellknown import ADMINISTRATORS
from adzeguard.core.wording import counted_noun, when_utc


@dataclass(frozen=True)
class ReportInput:
    """What reports are made of."""

    rights: Rights
    charter: ResolvedCharter
    privileged: Sequence[Principal]
    changes: Table
    """What was enacted in the time that is asked about."""
    stale: Callable[[], Mapping[StaleKind, Sequence[Stale]]]
    ways: Callable[[], Iterable[tuple[Principal, Reaching]]]
    """Yields the ways into each privileged group, over hosts as well."""
    words: Callable[[Charter], Iterable[tuple[str, str]]]
    """Yields the id of each rule with its demand in words."""
    now: datetime

    @property
    def estate(self) -> Estate:
        """The estate."""
        return self.rights.estate


def privileged(reported: ReportInput) -> Table:
    """Return who is inside each privileged group, and through what."""
    rows = [
        {
            "group": group.qualified_name,
            "group_sid": group.sid,
            "member": access.principal.qualified_name,
            "member_sid": access.principal.sid,
            "kind": access.principal.label,
            "enabled": access.principal.enabled,
            "through": through(access),
            "last_used_at": moment(access.principal.details.get("last_logon")),
            "password_set_at": moment(access.principal.details.get("password_set")),
        }
        for group in reported.privileged
        for access in members_of(reported.estate, group)
    ]
    columns = (
        Column("group", "Group"),
        *data_columns("group_sid"),
        Column("member", "Member"),
        *data_columns("member_sid"),
        Column("kind", "Kind"),
        Column("enabled", "Enabled"),
        Column("through", "Through", wide=True),
        Column("last_used_at", "Last used", kind="moment"),
        Column("password_set_at", "Password set", kind="moment"),
    )
    return Table(rows, columns, "Who is privileged", f"{len(rows)} memberships", "Nobody.")


def ways(reported: ReportInput) -> Table:
    """Return how those get into privileged groups who are not in them, and what closes most of it."""
    rows = [
        {
            "group": one.group.qualified_name,
            "group_sid": one.group.sid,
            "name": one.way.principal.qualified_name,
            "sid": one.way.principal.sid,
            "people": one.way.people,
            "over_hosts": one.way.over_hosts,
            "proof": Proof(one.way.proof).label if one.way.over_hosts else None,
            "sentence": one.way.words,
            "close": one.close.words if one.close is not None else "nothing that can be taken away",
            "closed_for": one.closed_for,
        }
        for one in ways_in(reported.rights, reported.ways())
    ]
    columns = (
        *data_columns("group", "group_sid", "name", "sid", "over_hosts", "proof"),
        Column("people", "People", kind="number"),
        Column("sentence", "Way in", wide=True),
        Column("close", "What closes most", wide=True),
        Column("closed_for", "Closed for", kind="number"),
    )
    note = (
        f"{counted_noun(len(rows), 'way')}, the best proved first; people who control the whole directory are left out"
    )
    return Table(rows, columns, "Ways in", note, "Nobody could make themselves privileged.")


def hosts(reported: ReportInput) -> Table:
    """Return who administers each host, by direct entries; groups among them are named as such."""
    estate, rows = reported.estate, []
    # Looked up in one go: host by host, those of each would be asked for by themselves.
    estate.who_are({sid for members in estate.alike_administrators for sid in members})
    for host in estate.hosts:
        group = host.state.group(ADMINISTRATORS) if host.state is not None else None
        place = short_dn(estate, parent_dn(host.dn))
        if host.state is None or group is None:
            rows.append(
                {
                    "host": host.name,
                    "place": place,
                    "member": "",
                    "member_sid": "",
                    "kind": "",
                    "unknown": host.why_unknown,
                }
            )
            continue
        for sid, member in sorted(on_host(estate, host.state, host.name, group.members).items()):
            rows.append(
                {
                    "host": host.name,
                    "place": place,
                    "member": member.qualified_name,
                    "member_sid": str(sid),
                    "kind": member.label,
                    "unknown": "",
                }
            )
    columns = (
        Column("host", "Host"),
        Column("place", "In"),
        Column("member", "Administrator", wide=True),
        *data_columns("member_sid"),
        Column("kind", "Kind"),
        Column("unknown", "Not known"),
    )
    return Table(rows, columns, "Who administers hosts", f"{len(rows)} entries", "No host is known.")


def delegation(reported: ReportInput) -> Table:
    """Return what was granted over OUs, groups and other objects, and whether a rule says so."""
    from dataclasses import replace

    listed = sorted_for_people(reported.rights.own_grants())
    return replace(
        grants_table(listed, documented_entries(reported.rights, reported.charter)),
        title="What was granted",
    )


def changes(reported: ReportInput) -> Table:
    """Return what was enacted."""
    from dataclasses import replace

    return replace(reported.changes, title="What was changed")


def stale(reported: ReportInput) -> Table:
    """Return everything that is stale, kind by kind."""
    rows = [
        {
            "what": kind.label,
            "name": one.name,
            "dn": one.dn,
            "sid": one.sid,
            "kind": one.sort,
            "why": one.why,
            "since_at": one.since,
        }
        for kind, found in reported.stale().items()
        for one in found
    ]
    columns = (
        Column("what", "What"),
        Column("name", "Name"),
        *data_columns("dn", "sid"),
        Column("kind", "Stale"),
        Column("why", "Why", wide=True),
        Column("since_at", "Since", kind="moment"),
    )
    return Table(rows, columns, "What is stale", f"{len(rows)} things", "Nothing is stale.")


def charter(reported: ReportInput) -> Table:
    """Return the rules in words, for people who do not read the files that they stand in."""
    demands = dict(reported.words(reported.charter.charter))
    today = reported.now.astimezone().date()
    rows = [
        {
            "rule": rule.id,
            "demand": demands.get(rule.id, ""),
            "why": rule.why,
            "owner": rule.owner,
            "response": rule.response or "as usual",
            "until": rule.until.isoformat() if rule.until else "",
            "in_force": rule.holds_on(today),
        }
        for rule in reported.charter.charter.rules
    ]
    columns = (
        Column("rule", "Rule"),
        Column("demand", "What it says", wide=True),
        Column("why", "Why", wide=True),
        Column("owner", "Owner"),
        Column("response", "Response"),
        Column("until", "Until"),
        Column("in_force", "In force"),
    )
    return Table(rows, columns, "The charter", counted_noun(len(rows), "rule"), "The charter has no rule.")


Report = Callable[[ReportInput], Table]


@dataclass(frozen=True, slots=True)
class ReportRow:
    """One report: what it is about, in a sentence of the help, and what makes it."""

    sentence: str
    make: Report
    beside: tuple[Report, ...] = ()
    """What people read along with it; for programs each is a report of its own."""


REPORTS: Final[Mapping[str, ReportRow]] = {
    "privileged": ReportRow("who is inside which privileged group, and the ways in", privileged, (ways,)),
    "ways": ReportRow("who could make themselves privileged, and what closes most", ways),
    "hosts": ReportRow("who administers them", hosts),
    "delegation": ReportRow("what was granted", delegation),
    "changes": ReportRow("what was enacted", changes),
    "stale": ReportRow("what nobody needs any more", stale),
    "charter": ReportRow("the rules in words", charter),
}
"""A further report is a function beside these, and a row here."""


def with_what_is_beside(name: str, reported: ReportInput) -> Table | Page:
    """Return a report as people read it."""
    report = REPORTS[name]
    first = report.make(reported)
    return Page((), [first, *(make(reported) for make in report.beside)], first.title) if report.beside else first


def all_reports(reported: ReportInput, pictures: Sequence[Picture] = ()) -> Page:
    """Return all of them, one after the other, and pictures after them."""
    tables = {name: report.make(reported) for name, report in REPORTS.items()}
    data: dict[str, Any] = {name: [_for_programs(table, row) for row in table.rows] for name, table in tables.items()}
    domain = reported.estate.domain
    title = f"{domain.short_name} ({domain.dns_name}) as it stood on {when_utc(reported.estate.taken_at)}"
    return Page(data, [Lines([title]), *tables.values(), *pictures], "Access and rights")


def _for_programs(table: Table, row: Mapping[str, Any]) -> dict[str, Any]:
    return {key: row.get(key) for key in table.keys}


def tables_of(view: Table | Page) -> Iterator[Table]:
    """Yield the tables of a view."""
    if isinstance(view, Table):
        yield view
    else:
        yield from (section for section in view.sections if isinstance(section, Table))
