"""What still names an object: rules of the charter, hosts, and rights over other objects."""

from collections.abc import Iterator

from adzeguard.core.charter.group_rule import ResolvedGroupRule
from adzeguard.core.charter.membership import ResolvedMembership
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.descriptors.descriptor import Descriptor, is_readable
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Principal
from adzeguard.core.wording import some_of


def still_naming(estate: Estate, charter: ResolvedCharter, principal: Principal) -> Iterator[str]:
    """Yield a line for each kind of place that goes on naming an object when it is gone."""
    rules = [rule for rule in charter.of(ResolvedMembership) if _names(rule, principal)]
    for rule in rules:
        yield f"the rule {rule.id} ({rule.rule.place.at()}) names it: change the rule"
    hosts = {
        host.name: group.name
        for host in estate.hosts
        for group in reversed(host.state.groups if host.state else ())
        if principal.sid in group.members
    }
    if hosts:
        shown = [f"{host} ({group})" for host, group in hosts.items()]
        some = some_of(shown)
        yield f"local groups on {len(hosts)} hosts hold it and will hold a SID that resolves to nothing: {some}"
    over = sorted(objects_naming(estate, principal), key=str.casefold)
    if over:
        some = some_of(over)
        yield f"it holds rights over {len(over)} objects, which will name a SID that resolves to nothing: {some}"


def _names(rule: ResolvedMembership, principal: Principal) -> bool:
    about = isinstance(rule, ResolvedGroupRule) and rule.group == principal
    return about or principal in rule.listed


def objects_naming(estate: Estate, principal: Principal) -> list[str]:
    """Return the names of the objects of whose own entries one is about this principal."""
    found: list[str] = []
    for use in estate.catalogue.descriptor_uses():
        raw = use.raw
        if principal.sid is None or principal.sid.to_bytes() not in raw or not is_readable(raw):
            continue
        if any(entry.sid == principal.sid and not entry.inherited for entry in Descriptor.from_bytes(raw).entries):
            found += [p.dn for p in estate.catalogue.principals(use.ids).values() if p.sid != principal.sid]
    return found
