"""One host in full: its local groups, and which rules hold there, from which scope, and which one decides."""

from collections.abc import Iterator
from typing import Any

from adzeguard.core.charter.local_group_rule import ResolvedLocalGroupRule
from adzeguard.core.charter.membership import MembershipRule
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.scopes import ScopedRule
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.names import local_group_label, on_host
from adzeguard.core.review.demands import Demands
from adzeguard.core.review.member_demands import MemberDemands
from adzeguard.core.views.host_rules import setting_rows
from adzeguard.core.views.host_settings import settings_data, settings_sections
from adzeguard.core.views.page import Fact, Section


def host_data(estate: Estate, charter: ResolvedCharter | None, host: Host) -> dict[str, Any]:
    """Return what a host has beyond what its account in the directory says."""
    rules = host_rules(charter, host) if charter is not None else []
    return {
        "source": host.source,
        "trouble": host.trouble,
        "capabilities": sorted(host.state.capabilities) if host.state else [],
        "lacks": dict(sorted(host.state.lacks.items())) if host.state else {},
        "local_groups": local_groups(estate, host),
        **settings_data(estate, host),
        "rules": rules,
    }


def host_rules(charter: ResolvedCharter, host: Host) -> list[dict[str, Any]]:
    """Return every rule that says anything of a host: what, from which scope, and what part it has."""
    return [*_rules(charter, host), *setting_rows(charter, host)]


def host_sections(data: dict[str, Any]) -> list[Section]:
    """Return the same for people."""
    groups = [f"{g['name']}: {', '.join(g['members']) or 'nobody'}" for g in data["local_groups"]]
    rules = [
        f"{r['rule']}: {r['about']}, {r['says']}, {r['scope']} → {r['decides']} ({r['response']})"
        for r in data["rules"]
    ]
    lacks = [f"{name}: {why}" for name, why in data["lacks"].items()]
    source = data["source"] if not data["trouble"] else f"{data['source']}; it did not answer: {data['trouble']}"
    facts = [Fact("Source", source or "none takes it")]
    facts += [Fact(label, lines) for label, lines in (("Cannot", lacks), ("Local groups", groups)) if lines]
    return [*facts, *settings_sections(data), *([Fact("Rules", rules)] if rules else [])]


def _rules(charter: ResolvedCharter, host: Host) -> Iterator[dict[str, Any]]:
    demands = MemberDemands(charter)
    of_groups = dict(demands.on_host(host))
    for scoped in demands.scopes.on(host):
        group = scoped.rule.group_on(host.state) if host.state else None
        yield _row(scoped, _part(scoped, of_groups.get(group.sid) if group else None))
    for scoped in demands.scopes.excepted_on(host):
        yield _row(scoped, "excepts this host")


def _part(scoped: ScopedRule[ResolvedLocalGroupRule], demands: Demands | None) -> str:
    """Say what part a rule has in what is demanded of its group."""
    if demands is None:
        return "not followed here: no such group, or a name that the host does not know"
    demand = demands.mending if scoped.rule.response == "mend" else demands.together
    if scoped.rule.only is None:
        return "adds to it"
    if demand.conflicts:
        return "contradicted"
    decides = demand.only is not None and demand.only.rule is scoped.rule
    if decides and demands.mending is not demands.together:
        return "decides what is mended" if scoped.rule.response == "mend" else "decides what is told"
    return "decides" if decides else "overruled by a closer one"


def _row(scoped: ScopedRule[ResolvedLocalGroupRule], decides: str) -> dict[str, Any]:
    rule = scoped.rule
    return {
        "rule": rule.id,
        "about": rule.group_label,
        "local_group": rule.group_label,
        "says": _says(rule.rule),
        "scope": scoped.scope,
        "decides": decides,
        "response": rule.response,
        "place": rule.rule.place.at(),
    }


def _says(rule: MembershipRule) -> str:
    lists = (("only", rule.only), ("include", rule.include), ("exclude", rule.exclude))
    parts = [f"{word} {', '.join(names)}" for word, names in lists if names]
    parts += ["only nobody"] if rule.only == () else []
    parts += [f"reach-only {', '.join(rule.reach_only)}"] if rule.reach_only is not None else []
    return "; ".join(parts + (["nested: refuse"] if rule.nested else []))


def local_groups(estate: Estate, host: Host) -> list[dict[str, Any]]:
    """Return each group of a host that was read."""
    if host.state is None:
        return []
    groups = []
    for group in host.state.groups:
        members = on_host(estate, host.state, host.name, group.members)
        names = sorted((p.qualified_name for p in members.values()), key=str.casefold)
        groups.append({"name": local_group_label(group.name, group.sid), "sid": group.sid, "members": names})
    return groups
