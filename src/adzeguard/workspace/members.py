"""Who is in a group or on a host, why, and what is called so: the views of a workspace."""

from collections.abc import Collection
from typing import TYPE_CHECKING

import numpy as np

from adzeguard.core.access.members import (
    Access,
    by_everybody,
    hosts_of_everyone,
    hosts_per_person,
    members_of,
    members_on_host,
    proof_in_group,
)
from adzeguard.core.errors import UsageError
from adzeguard.core.estate.counting import effective_people_counts
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.names import foreigners_like, local_group_named, resolve, resolve_host
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.views.chain import chain_page
from adzeguard.core.views.members import administrators_table, found_table, groups_table, members_table
from adzeguard.core.views.page import Page
from adzeguard.core.views.table import Table
from adzeguard.core.wellknown import ADMINISTRATORS, LOCAL_GROUPS

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace

_WHEN_ON = "Run adzeguard collect when it is on"


def in_group(workspace: "Workspace", name: str) -> Table:
    """Return who is effectively in a group; of a host its administrators."""
    resolved = resolve(workspace.estate, name)
    if resolved.kind == Kind.COMPUTER and workspace.estate.host_named(resolved.name) is not None:
        workspace.frontend.say(f"{resolved.name} is a host: these are its administrators, as --on shows them.")
        return on_host(workspace, resolved.name)
    _refuse_other_kinds(resolved, "not a group", {Kind.GROUP})
    return members_table(
        workspace.estate, members_of(workspace.estate, resolved), f"Effective members of {resolved.qualified_name}"
    )


def on_host(workspace: "Workspace", name: str, local_group: str | None = None) -> Table:
    """Return who is effectively in a local group of a host, its administrators where none is named."""
    host = resolve_host(workspace.estate, name)
    label = local_group or "administrators"
    sid = LOCAL_GROUPS.get(label.casefold(), None if local_group else ADMINISTRATORS)
    if host.state is not None:
        named = host.state.group_named(label.removeprefix("local\\"))
        sid = sid or (named.sid if named else None)
        if sid is None or host.state.group(sid) is None:
            have = ", ".join(group.name for group in host.state.groups)
            raise UsageError(f"{host.name} has no local group '{label}'", f"It has: {have}")
    if host.trouble:
        workspace.frontend.say(f"{host.name} did not answer at the last collection: {host.trouble}")
    if host.state is None or sid is None:
        raise _unknown(host)
    return members_table(workspace.estate, members_on_host(workspace.estate, host, sid), rf"{host.name}\{label}")


def on_all_hosts(workspace: "Workspace", at_least: int = 1) -> Table:
    """Return each person with the number of hosts they administer."""
    estate = workspace.estate
    counts = {person: count for person, count in hosts_per_person(estate).items() if count >= at_least}
    known = sum(host.state is not None for host in estate.hosts)
    return administrators_table(counts, estate.catalogue, known, hosts_of_everyone(estate))


def all_groups(workspace: "Workspace") -> Table:
    """Return each group with the number of its effective members."""
    graph, catalogue = workspace.estate.graph, workspace.estate.catalogue
    groups = graph.group_ids.tolist()
    effective = dict(zip(groups, effective_people_counts(graph).tolist(), strict=True))
    direct = dict(zip(groups, graph.direct_counts().tolist(), strict=True))
    return groups_table(catalogue, direct, effective, workspace.estate.foreign_groups_inside)


def chain_to(workspace: "Workspace", person: str, *, group: str = "", host: str = "") -> Page:
    """Return the shortest chain that makes somebody a member of a group, or an administrator of a host."""
    if bool(group) == bool(host):
        raise UsageError("say one group or one host that they are to be inside")
    estate = workspace.estate
    member = resolve(estate, person)
    subject, access, inside = _on_host(estate, member, host) if host else _inside(estate, member, group)
    perhaps = (one for one in estate.groups_that_may_hold(member) if one.id in inside)
    return chain_page(member, subject, access, next(perhaps, None))


def found(workspace: "Workspace", part: str, kind: str = "", limit: int = 100) -> Table:
    """Return objects by a part of their name, at most so many, only of one kind if one is given."""
    catalogue = workspace.estate.catalogue
    wanted_kind = _kind(kind) if kind else None
    if wanted_kind is not None and not part:
        ids = catalogue.of_kind(wanted_kind).tolist()
    else:
        ids = catalogue.containing(part, limit + 1 if not kind else 1_000_000)
        ids += [one.id for one in foreigners_like(workspace.estate, part) if one.id not in ids]
    matches = catalogue.principals(ids)
    wanted = [matches[i] for i in ids if i in matches and wanted_kind in (None, matches[i].kind)]
    return found_table(wanted[:limit], f"Objects like '{part}'" if part else "Objects", more=len(wanted) > limit)


def group_called(workspace: "Workspace", name: str) -> Principal:
    """Return the group of this name; `UsageError` says what it is instead."""
    group = resolve(workspace.estate, name)
    if group.kind == Kind.FOREIGN:
        said = f"{group.qualified_name} is of another domain, and who is inside, only that knows and changes"
        raise UsageError(said, f"Where it is inside: adzeguard show '{group.qualified_name}'")
    if group.kind != Kind.GROUP:
        raise UsageError(f"{group.qualified_name} is {group.kind.one}, not a group", "Try: adzeguard find --kind group")
    return group


def _kind(word: str) -> Kind:
    kinds = {kind.name.casefold(): kind for kind in Kind}
    if word.casefold() not in kinds:
        raise UsageError(f"there is no kind '{word}'", f"There are: {', '.join(kinds)}")
    return kinds[word.casefold()]


def _inside(estate: Estate, member: Principal, name: str) -> tuple[Named, Access | None, Collection[int]]:
    """Return the group, how somebody is in it, and the ids of all of other domains who are."""
    target = resolve(estate, name)
    if target.kind == Kind.COMPUTER:
        return _on_host(estate, member, target.name)
    _refuse_other_kinds(target, "not a group or host", {Kind.GROUP})
    foreign = np.intersect1d(list(estate.of_other_domains), estate.graph.expand(target.id).members, assume_unique=True)
    return Named.of(target), proof_in_group(estate, member, target), foreign.tolist()


def _on_host(estate: Estate, member: Principal, name: str) -> tuple[Named, Access | None, Collection[int]]:
    host = resolve_host(estate, name)
    if host.state is None:
        raise _unknown(host)
    inside = members_on_host(estate, host)
    access = next((a for a in inside if a.principal == member), None) or by_everybody(inside, member)
    ids = {one.principal.id for one in inside}
    return local_group_named(host, "administrators", ADMINISTRATORS), access, ids


def _refuse_other_kinds(named: Principal, what: str, kinds: set[Kind]) -> None:
    if named.kind == Kind.FOREIGN:
        said = f"{named.qualified_name} is of another domain, and who is inside, only that knows"
        raise UsageError(said, f"Where it is inside: adzeguard show '{named.qualified_name}'")
    if named.kind not in kinds:
        way_out = f"Where it is inside: adzeguard show {named.name}"
        raise UsageError(f"{named.qualified_name} is {named.kind.one}, {what}", way_out)


def _unknown(host: Host) -> UsageError:
    return UsageError(f"nothing is known of {host.name}: {host.why_unknown}", _WHEN_ON)
