"""A first charter from what stands: nobody starts from an empty file, and checking right after finds no deviation."""

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence

from adzeguard.core.adopting.charter_names import charter_name, charter_name_on_host
from adzeguard.core.adopting.document import grant_rules
from adzeguard.core.adopting.rule_ids import rule_id
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host, HostState
from adzeguard.core.estate.names import on_host
from adzeguard.core.estate.principal import Principal
from adzeguard.core.identity import leaf_name, parent_dn
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.wellknown import ADMINISTRATORS

_HEAD = """\
# Written from what stood on {day}. Nothing here is judged yet: read each list, take out who should not be there,
# say why the rest should, and set response: mend where deviations may be put right without asking. A rule for one host
# that only tells is no shield from a wider one that mends: set it in both.
charter: 1
rules:
"""
Members = tuple[str, ...]


def adopted_charter(rights: Rights, privileged: Iterable[Principal]) -> str:
    """Return the YAML of a charter whose rules all hold now."""
    estate = rights.estate
    taken: Counter[str] = Counter()
    parts = [_HEAD.format(day=f"{estate.taken_at:%Y-%m-%d}")]
    parts += [_group_rule(estate, group, taken) for group in privileged]
    by_container: dict[str, list[tuple[Host, Members]]] = {}
    for host in estate.hosts:
        if host.state is not None and host.state.group(ADMINISTRATORS) is not None:
            by_container.setdefault(parent_dn(host.dn), []).append((host, _host_members(estate, host, host.state)))
    for container in sorted(by_container, key=str.casefold):
        parts += _host_rules(estate, container, by_container[container], taken)
    parts.append(grant_rules(rights, rights.own_grants(), taken, "As it stood."))
    return "".join(parts)


def _group_rule(estate: Estate, group: Principal, taken: Counter[str]) -> str:
    graph = estate.graph
    members = [*graph.direct_members(group.id).tolist(), *graph.primary_members(group.id).tolist()]
    listed = estate.catalogue.principals(members).values()
    lines = [
        f"  - id: {rule_id(taken, group.name)}",
        "    why: As it stood.",
        f"    group: {_quoted(charter_name(estate, group))}",
    ]
    return _rule(lines, tuple(sorted((charter_name(estate, p) for p in listed), key=str.casefold)))


def _host_rules(
    estate: Estate, container: str, hosts: Sequence[tuple[Host, Members]], taken: Counter[str]
) -> Iterator[str]:
    """The lists of most hosts become the rule of the OU, and each host that differs gets its own, which is closer."""
    usual = Counter(members for _, members in hosts).most_common(1)[0][0]
    where = container.removesuffix("," + estate.domain.base_dn)
    name = leaf_name(container)
    yield _rule(
        [
            f"  # {len(hosts)} hosts, {sum(members == usual for _, members in hosts)} of them with this list.",
            f"  - id: {rule_id(taken, name, 'administrators')}",
            "    why: As it stood.",
            f"    hosts: {{under: {_quoted(where)}}}",
            "    local-group: administrators",
        ],
        usual,
    )
    for host, members in hosts:
        if members != usual:
            more, less = sorted(set(members) - set(usual)), sorted(set(usual) - set(members))
            differs = "; ".join(
                f"{word} {', '.join(names)}" for word, names in (("has", more), ("lacks", less)) if names
            )
            yield _rule(
                [
                    f"  # Differs from the others: {differs}",
                    f"  - id: {rule_id(taken, host.name, 'administrators')}",
                    "    why: As it stood; it differs from its neighbours.",
                    f"    hosts: {{named: {_quoted(host.name)}}}",
                    "    local-group: administrators",
                ],
                members,
            )


def _rule(lines: list[str], members: Members) -> str:
    if not members:
        return "\n".join([*lines, "    only: []"]) + "\n\n"
    return "\n".join([*lines, "    only:", *(f"      - {_quoted(member)}" for member in members)]) + "\n\n"


def _host_members(estate: Estate, host: Host, state: HostState) -> Members:
    group = state.group(ADMINISTRATORS)
    members = on_host(estate, state, host.name, group.members if group else ())
    names = (charter_name_on_host(estate, state, sid, principal) for sid, principal in members.items())
    return tuple(sorted(names, key=str.casefold))


def _quoted(text: str) -> str:
    """A single-quoted scalar takes everything but line breaks, which no name has, as it is."""
    return "'" + " ".join(text.split("\n")).replace("'", "''") + "'"
