"""Trusts: whom the directory lets in, by whose word, and who of them is known here."""

from collections.abc import Iterable
from datetime import UTC, datetime
from typing import Any

import numpy as np

from adzeguard.core.estate.catalogue import Domain
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Kind
from adzeguard.core.estate.rows import NEVER
from adzeguard.core.estate.trusts import Trust
from adzeguard.core.rights.delegations import Rights, sorted_for_people
from adzeguard.core.views.page import Fact, Page, Section
from adzeguard.core.views.table import Column, Table, data_columns
from adzeguard.core.wording import when

_COLUMNS = (
    Column("name", "Trust"),
    Column("domain", "Of"),
    *data_columns("partner_sid"),
    Column("direction", "Who comes in"),
    Column("kind", "Kind"),
    Column("transitive", "Transitive"),
    Column("filtered", "SIDs filtered"),
    Column("selective", "Selective"),
    *data_columns("created_at", "changed_at"),
    Column("password_set_at", "Password set", kind="moment"),
)


def trusts_table(trusts: Iterable[Trust]) -> Table:
    """Return one row a trust."""
    return Table(
        [_row(trust) for trust in trusts],
        _COLUMNS,
        title="Trusts",
        empty="This domain trusts no other, and no other trusts it.",
    )


def trust_page(rights: Rights, trust: Trust) -> Page:
    """Return one trust in full, with everybody of its domain who stands in a group or has a right here."""
    data = {**_row(trust), "account": trust.account.qualified_name if trust.account else None}
    inside, held = _members(rights.estate, trust), _rights(rights, trust)
    data |= {"members_here": inside, "rights_here": held}
    sections: list[Section] = [
        Fact("Domain", f"{trust.partner}, in short {trust.short_name}"),
        Fact("SID", trust.sid or "none"),
        Fact("Kind", trust.kind + (", transitive" if trust.transitive else ", not transitive")),
        Fact("Who comes in", _let_in(trust)),
        Fact("SIDs filtered", _filter(trust), "" if not trust.needs_filter else "no"),
    ]
    dates = (("Made", data["created_at"]), ("Changed", data["changed_at"]), ("Password set", data["password_set_at"]))
    sections += [Fact(label, when(moment)) for label, moment in dates if moment is not None]
    if trust.account is not None:
        sections.append(Fact("Account", trust.account.qualified_name))
    sections.append(Fact(f"In groups here ({len(inside)})", inside or "nobody"))
    sections.append(Fact(f"Rights here ({len(held)})", held or "none"))
    return Page(data, sections, title=trust.partner)


def _row(trust: Trust) -> dict[str, Any]:
    set_at = trust.account.details.get("password_set", NEVER) if trust.account is not None else NEVER
    return {
        "name": trust.partner,
        "domain": trust.of,
        "partner_sid": trust.sid,
        "direction": trust.way,
        "kind": trust.kind,
        "transitive": trust.transitive,
        "filtered": trust.filtered,
        "selective": trust.selective,
        "created_at": _moment(trust.made),
        "changed_at": _moment(trust.changed),
        "password_set_at": _moment(set_at),
    }


def _moment(seconds: int) -> datetime | None:
    return datetime.fromtimestamp(seconds, UTC) if seconds != NEVER else None


def _let_in(trust: Trust) -> str:
    if not trust.lets_in:
        return f"nobody of {trust.short_name}; {trust.way}"
    if trust.selective:
        return f"only those of {trust.short_name} whom a host lets sign in; {trust.way}"
    return f"everybody of {trust.short_name}, as an authenticated user; {trust.way}"


def _filter(trust: Trust) -> str:
    if trust.filtered:
        return "yes: only SIDs of the other side are believed"
    if not trust.lets_in:
        return "no, and nobody comes in"
    if not trust.needs_filter:
        return "no: the domains are of one forest"
    return f"no: {trust.short_name} can say that somebody is an administrator here"


def _members(estate: Estate, trust: Trust) -> list[str]:
    """Return who of its domain stands in which groups, in words."""
    partner = estate.domain.of_sid(trust.sid)
    listing = _by_placeholders(estate, trust) if partner is None else _by_themselves(estate, trust, partner)
    theirs = estate.catalogue.principals(listing)
    names = estate.catalogue.principals({group for found in listing.values() for group in found})
    # Who is in a group of their own domain is here through that.
    groups = {i: [group for group in found if names[group].kind != Kind.FOREIGN] for i, found in listing.items()}
    return sorted(
        f"{one.qualified_name} is in {_listed(names[group].qualified_name for group in groups[i])}"
        for i, one in theirs.items()
        if groups[i]
    )


def _by_placeholders(estate: Estate, trust: Trust) -> dict[int, list[int]]:
    """Return by id the groups that list those of the other domain, as far as they have an object here."""
    known = estate.catalogue.principals(estate.catalogue.of_kind(Kind.FOREIGN).tolist())
    theirs = [i for i, one in known.items() if one.sid and one.sid.authority == trust.sid]
    return {i: estate.graph.groups_listing(i).tolist() for i in theirs}


def _by_themselves(estate: Estate, trust: Trust, partner: Domain) -> dict[int, list[int]]:
    """Return by id the groups of the domain that has the trust that list those of one that is collected too."""
    here = estate.ids_in(estate.domain.called(trust.of) or estate.domain)
    listing: dict[int, list[int]] = {}
    for group in np.intersect1d(estate.catalogue.of_kind(Kind.GROUP), here).tolist():
        for member in np.intersect1d(estate.graph.direct_members(group), estate.ids_in(partner)).tolist():
            listing.setdefault(member, []).append(group)
    return listing


def _rights(rights: Rights, trust: Trust) -> list[str]:
    of = rights.estate.domain.called(trust.of) or rights.estate.domain
    own = (one for one in rights.own_grants() if one.grant.who.authority == trust.sid)
    own = (one for one in own if rights.estate.domain.holding(one.over.dn).sid == of.sid)
    return [one.sentence for one in sorted_for_people(own)]


def _listed(names: Iterable[str]) -> str:
    return ", ".join(sorted(names, key=str.casefold))
