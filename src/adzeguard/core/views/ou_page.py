"""An OU: what lies in it, its protection, what is granted there, which rules hold, which policies are linked."""

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from adzeguard.core.change.by_hand.ous import stands_protected
from adzeguard.core.charter.at_place import rules_at
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.errors import GuardError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.places import short_dn
from adzeguard.core.estate.policy_links import policy_links
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.identity import fold_dn
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.views.page import Fact, Section
from adzeguard.core.views.table import Column, Table
from adzeguard.core.wording import counted_noun

_COUNTED = (Kind.USER, Kind.GROUP, Kind.COMPUTER, Kind.SERVICE, Kind.OU, Kind.CONTAINER, Kind.CONTACT)


def ou_data(rights: Rights, charter: ResolvedCharter | None, ou: Principal) -> dict[str, Any]:
    """Return it as plain values; without a charter no rules."""
    estate, grants = rights.estate, rights.grants_over(ou)
    return {
        "holds": contents(estate, ou),
        "protected": is_kept(estate, ou),
        "granted": [one.sentence for one in grants if not one.grant.inherited],
        "handed_down": [one.sentence for one in grants if one.grant.inherited],
        "handed_down_by_the_domain": rights.of_every_domain(ou),
        "rules": rules_there(charter, ou) if charter is not None else [],
        "policy_links": linked_policies(estate, ou),
    }


def contents(estate: Estate, ou: Principal) -> dict[str, int]:
    """Return how many objects of each kind lie anywhere below; of a kind of which none does, nothing."""
    below = estate.catalogue.below(ou.dn)
    below = below[below != ou.id]
    counts = {kind.label: int(np.isin(below, estate.catalogue.of_kind(kind)).sum()) for kind in _COUNTED}
    return {label: count for label, count in counts.items() if count}


def is_kept(estate: Estate, ou: Principal) -> bool:
    """Tell whether nobody can delete or move it by mistake; the top of the directory nobody can."""
    try:
        return stands_protected(estate, ou)
    except GuardError:
        return True


def linked_policies(estate: Estate, ou: Principal) -> list[dict[str, Any]]:
    """Return the policies that are linked to it, in the order of the links."""
    links = list(policy_links(str(ou.details.get("policy_links", ""))))
    ids = {link.policy_dn: estate.catalogue.by_dn(link.policy_dn) for link in links}
    known = estate.catalogue.principals(i for i in ids.values() if i is not None)

    def name(dn: str) -> str:
        one = ids[dn]
        return known[one].name if one is not None and one in known else dn

    return [{"policy": name(link.policy_dn), "enabled": link.on, "enforced": link.enforced} for link in links]


def rules_there(charter: ResolvedCharter, ou: Principal) -> list[dict[str, str]]:
    """Return the rules that hold for what lies there, as plain values."""
    return [{"rule": at.rule.id, "because": at.because, "response": at.rule.response} for at in rules_at(charter, ou)]


def ou_sections(data: Mapping[str, Any]) -> list[Section]:
    """Return it for people."""
    holds = ", ".join(f"{count} {label}{'s' * (count != 1)}" for label, count in data["holds"].items()) or "nothing"
    sections: list[Section] = [
        Fact("Holds", holds),
        Fact("Protected", "yes" if data["protected"] else "no: an administrator can delete it by mistake"),
    ]
    for label, key in (("Granted here", "granted"), ("From above", "handed_down")):
        if data[key]:
            sections.append(Fact(f"{label} ({len(data[key])})", data[key]))
    if data["handed_down_by_the_domain"]:
        count = data["handed_down_by_the_domain"]
        sections.append(
            Fact(
                "From the domain",
                f"{counted_noun(count, 'grant')} that every domain is born with: "
                "adzeguard grant list --defaults --over OU",
            )
        )
    if data["rules"]:
        sections.append(
            Fact("Rules", [f"{one['rule']}: {one['because']} ({one['response']})" for one in data["rules"]])
        )
    if data["policy_links"]:
        sections.append(Fact("Policies", [_policy(one) for one in data["policy_links"]]))
    return sections


def _policy(one: Mapping[str, Any]) -> str:
    words = [
        word for word, said in (("link is off", not one["enabled"]), ("cannot be blocked", one["enforced"])) if said
    ]
    return f"{one['policy']}{f' ({chr(44).join(words)})' if words else ''}"


def ous_table(rights: Rights, ous: Sequence[Principal]) -> Table:
    """Return one row for each OU, from the top down."""
    estate = rights.estate
    granted: dict[int, int] = {}
    for one in rights.own_grants():
        granted[one.over.id] = granted.get(one.over.id, 0) + 1
    rows = []
    for ou in sorted(ous, key=lambda one: fold_dn(one.dn).split(",")[::-1]):
        holds = contents(estate, ou)
        rows.append(
            {
                "name": short_dn(estate, ou.dn),
                "dn": ou.dn,
                "users": holds.get("user", 0),
                "groups": holds.get("group", 0),
                "computers": holds.get("computer", 0),
                "protected": is_kept(estate, ou),
                "grants": granted.get(ou.id, 0),
                "policies": len(linked_policies(estate, ou)),
            }
        )
    columns = (
        Column("name", "OU", wide=True),
        Column("dn"),
        Column("users", "Users", kind="number"),
        Column("groups", "Groups", kind="number"),
        Column("computers", "Computers", kind="number"),
        Column("protected", "Protected"),
        Column("grants", "Grants", kind="number"),
        Column("policies", "Policies", kind="number"),
    )
    return Table(rows, columns, "", f"{len(rows)} OUs", "There is no OU.")
