"""What the looking commands show: rows for who and find, chains in words, one object or host in full."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import UTC, datetime
from typing import Any

from rich.padding import Padding
from rich.text import Text

from adzeguard.core.access.members import Access, members_of
from adzeguard.core.charter.references import LocalName
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.scopes import Holding, HostScopes
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.names import local_group_label, on_host
from adzeguard.core.estate.principal import Flag, Kind, Principal
from adzeguard.core.review.members import local_group_of, review_host
from adzeguard.core.wellknown import local_group_name
from adzeguard.report.listing import Column, Listing, Row, text_console
from adzeguard.report.safe import for_terminal

WHO_COLUMNS = (
    Column("qualified_name", "Member"),
    Column("kind", "Kind"),
    Column("_state", "State"),
    Column("_through", "Through"),
)
_TIMES = ("created", "last_logon", "password_set", "expires")
_LISTED = 12
_CARD_LABELS = {"sid": "SID", "dn": "DN", "dns_host_name": "DNS host name", "policy_links": "Directory policies"}


def _identity(p: Principal) -> Row:
    return {
        "name": p.name,
        "qualified_name": p.qualified_name,
        "sid": p.sid,
        "kind": p.kind.label,
        "enabled": p.enabled,
    }


def who_rows(accesses: Iterable[Access]) -> list[Row]:
    """Return a row for each effective member."""
    return [
        {
            **_identity(access.principal),
            "direct": access.direct,
            "how": access.chain[-1].how,
            "path": [step.principal.qualified_name for step in access.chain],
        }
        for access in accesses
    ]


def who_listing(accesses: Sequence[Access], subject: str) -> Listing:
    """Return the listing of who is inside a group; in the table, "Through" leaves the ends of the chain away."""
    rows = who_rows(accesses)
    people = [a for a in accesses if a.principal.kind not in (Kind.GROUP, Kind.LOCAL_GROUP)]
    disabled = sum(not a.principal.enabled for a in people)
    note = f"{len(people)} effective members, {len(accesses) - len(people)} groups" + (
        f", {disabled} disabled" if disabled else ""
    )
    shown = [
        {**row, "_state": "" if row["enabled"] else "disabled", "_through": _through(access)}
        for row, access in zip(rows, accesses, strict=True)
    ]
    return Listing(shown, WHO_COLUMNS, subject, note, "Nobody is inside.")


def _through(access: Access) -> str:
    between = [step.principal.qualified_name for step in access.chain[1:-1]]
    if access.chain[-1].how == "primary group":
        between.append("its primary group")
    return " > ".join(between) or "directly"


def hosts_listing(counts: Mapping[int, int], people: Mapping[int, Principal], hosts: int) -> Listing:
    """Return who administers how many hosts, most first."""
    rows = [
        {
            **_identity(p),
            "hosts": counts[i],
            "_state": "" if p.enabled else "disabled",
        }
        for i, p in people.items()
    ]
    rows.sort(key=lambda row: (-int(str(row["hosts"])), str(row["qualified_name"]).casefold()))
    columns = (
        Column("qualified_name", "Person"), Column("kind", "Kind"), Column("_state", "State"), Column("hosts",
        "Hosts", right=True),
    )  # fmt: skip
    return Listing(
        rows,
        columns,
        "Effective administrators of hosts",
        f"{len(rows)} accounts, {hosts} hosts",
        "Nobody administers a host.",
    )


def groups_listing(groups: Mapping[int, Principal], direct: Mapping[int, int], effective: Mapping[int, int]) -> Listing:
    """Return every group with how many it holds, largest first; groups inside do not count as effective members."""
    rows = [
        {
            "name": p.name,
            "qualified_name": p.qualified_name,
            "sid": p.sid,
            "kind": "security" if p.flags & Flag.SECURITY_GROUP else "distribution",
            "scope": p.group_scope,
            "members": direct[i],
            "effective_members": effective[i],
        }
        for i, p in groups.items()
    ]
    rows.sort(key=lambda row: (-int(str(row["effective_members"])), str(row["qualified_name"]).casefold()))
    columns = (
        Column("qualified_name", "Group"), Column("kind", "Kind"), Column("scope", "Scope"),
        Column("members", "Direct", right=True), Column("effective_members", "Effective", right=True),
    )  # fmt: skip
    return Listing(rows, columns, "Members of groups", f"{len(rows)} groups", "There are no groups.")


def found_listing(found: Sequence[Principal], subject: str, *, more: bool) -> Listing:
    """Return the objects that a search found."""
    rows = [
        {
            **_identity(p),
            "dn": p.dn,
            "_state": "" if p.enabled else "disabled",
        }
        for p in found
    ]
    columns = (
        Column("qualified_name", "Name"),
        Column("kind", "Kind"),
        Column("_state", "State"),
        Column("dn", "Where"),
    )
    note = f"{len(rows)} shown; there are more (--limit)" if more else f"{len(rows)} found"
    return Listing(rows, columns, subject, note, "Nothing is called so.")


def object_facts(p: Principal) -> dict[str, Any]:
    """Return what is known of one object, as plain values."""
    times = {
        key: datetime.fromtimestamp(p.details[key], UTC).isoformat() if key in p.details else None
        for key in _TIMES
        if key in p.details
    }
    others = {key: value for key, value in p.details.items() if key not in _TIMES}
    facts: dict[str, Any] = {
        "name": p.name, "qualified_name": p.qualified_name, "kind": p.kind.label, "sid": p.sid, "dn": p.dn,
        "enabled": p.enabled,
    }  # fmt: skip
    if p.kind == Kind.GROUP:
        facts["group_scope"] = p.group_scope
    return {**facts, **times, **others}


def object_data(estate: Estate, p: Principal) -> dict[str, Any]:
    """Return one object with its memberships both ways."""
    data = object_facts(p)
    graph = estate.graph
    if p.id < 0:
        return data
    listed, primary, effective = (
        graph.groups_listing(p.id),
        graph.primary_groups(p.id),
        graph.effective_groups(p.id),
    )
    names = estate.catalogue.principals([*listed.tolist(), *primary.tolist(), *effective.tolist()])

    def named(ids: Iterable[int]) -> list[str]:
        return sorted((names[i].qualified_name for i in ids if i in names), key=str.casefold)

    data["member_of"] = named(listed.tolist())
    data["primary_group"] = next(iter(named(primary.tolist())), None)
    direct = {*listed.tolist(), *primary.tolist()}
    data["effectively_member_of"] = named(i for i in effective.tolist() if i not in direct)
    if p.kind == Kind.GROUP:
        accesses = members_of(estate, p)
        data["members"] = [a.principal.qualified_name for a in accesses if a.direct]
        data["effective_members"] = [a.principal.qualified_name for a in accesses if not a.direct]
    return data


def host_data(estate: Estate, charter: ResolvedCharter | None, host: Host) -> dict[str, Any]:
    """Return one host: its local groups, and which rules hold there, from which scope, and which one decided."""
    data: dict[str, Any] = {"name": host.name, "kind": "host", "dn": host.dn, "trouble": host.trouble}
    if host.state is None:
        return data | {"local_groups": [], "rules": _rules(estate, charter, host)}
    groups = []
    for group in host.state.groups:
        members = on_host(estate, host.state, host.name, group.members)
        names = sorted((p.qualified_name for p in members.values()), key=str.casefold)
        groups.append({"name": local_group_label(group.name, group.sid), "sid": group.sid, "members": names})
    return data | {"local_groups": groups, "rules": _rules(estate, charter, host)}


def _rules(estate: Estate, charter: ResolvedCharter | None, host: Host) -> list[dict[str, Any]]:
    if charter is None:
        return []
    scopes = HostScopes(charter.host_rules)
    holding = scopes.holding_on(host)
    reviews = {r.group.sid: r for r in review_host(estate, charter, host, holding)}

    def row(held: Holding, decides: str) -> dict[str, Any]:
        rule = held.rule
        name = (
            rule.local_group.name
            if isinstance(rule.local_group, LocalName)
            else local_group_name(str(rule.local_group))
        )
        return {
            "rule": rule.id, "local_group": name, "says": _says(rule.rule), "scope": held.scope, "decides": decides,
            "response": rule.response, "place": rule.rule.place.at(),
        }  # fmt: skip

    rows = []
    for held in holding:
        group = local_group_of(host.state, held.rule) if host.state else None
        review = reviews.get(group.sid) if group else None
        only = review.demand.only if review else None
        if held.rule.only is None:
            decides = "adds to it" if review else "no such group here"
        else:
            decides = "decides" if only is not None and only.rule is held.rule else "overruled by a closer one"
            decides = "contradicted" if review and review.demand.conflicts else decides
        rows.append(row(held, decides))
    return rows + [row(held, "excepts this host") for held in scopes.excepted_on(host)]


def _says(rule: Any) -> str:
    parts = [
        f"{word} {', '.join(names)}"
        for word, names in (("only", rule.only), ("include", rule.include), ("exclude", rule.exclude))
        if names
    ]
    if rule.only == ():
        parts.append("only nobody")
    if rule.reach_only is not None:
        parts.append(f"reach-only {', '.join(rule.reach_only)}")
    return "; ".join(parts + (["nested: refuse"] if rule.nested else []))


def card(data: dict[str, Any], *, colour: bool) -> str:
    """Return one object as lines of name and value, lists indented below their name, long ones shortened."""
    console = text_console(colour=colour)
    console.print(Text(for_terminal(str(data.get("qualified_name") or data["name"])), style="bold"))
    for key, value in data.items():
        if key in ("name", "qualified_name") or value in (None, "", []):
            continue
        label = _CARD_LABELS.get(key) or key.replace("_", " ").capitalize()
        if isinstance(value, list) and value and isinstance(value[0], dict):
            console.print(Text(f"{label}:", style="bold"))
            for item in value:
                console.print(Padding(Text(for_terminal(_item_line(item))), (0, 0, 0, 2)))
        elif isinstance(value, list):
            console.print(Text(f"{label} ({len(value)}):", style="bold"))
            for item in value[:_LISTED]:
                console.print(Text(f"  {for_terminal(str(item))}"))
            if len(value) > _LISTED:
                console.print(Text(f"  … and {len(value) - _LISTED} more (--format json shows all)", style="dim"))
        else:
            shown = ("yes" if value else "no") if isinstance(value, bool) else for_terminal(str(value))
            shown = shown[:16].replace("T", " ") + " UTC" if key in _TIMES else shown
            console.print(Text.assemble((f"{label}: ", "bold"), shown))
    return str(console.file.getvalue())  # type: ignore[attr-defined]


def _item_line(item: dict[str, Any]) -> str:
    if "rule" in item:
        said = f"{item['rule']}: {item['local_group']}, {item['says']}, {item['scope']}"
        return f"{said} → {item['decides']} ({item['response']})"
    return f"{item['name']}: {', '.join(item['members']) or 'nobody'}"


def chain_text(access: Access, words: str, *, colour: bool) -> str:
    """Return a chain as a sentence and as an indented staircase."""
    console = text_console(colour=colour)
    console.print(Text(for_terminal(words) + "."))
    for depth, step in enumerate(access.chain):
        how = {
            "start": "",
            "member": "lists ",
            "primary group": "is the primary group of ",
            "local entry": "names ",
        }[step.how]
        state = "" if step.principal.enabled else ", disabled"
        stair = "   " * depth + ("└─ " if depth else "")
        line = f"{stair}{how}{step.principal.qualified_name} ({step.principal.kind.label}{state})"
        console.print(Text(for_terminal(line), style="bold" if depth in (0, len(access.chain) - 1) else ""))
    return str(console.file.getvalue())  # type: ignore[attr-defined]
