"""Names that are taken for others."""

from collections.abc import Iterator

from adzeguard.core.checks.check_input import CheckInput
from adzeguard.core.checks.finding import Finding
from adzeguard.core.estate.lookalike import Twins, marked, odd_letters
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.principal import Kind

_KINDS = (Kind.USER, Kind.GROUP, Kind.COMPUTER, Kind.SERVICE, Kind.OU)


def check_names(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield names with letters of other scripts, and names near to power that look like a privileged one."""
    estate = looked_at.estate
    twins = Twins(estate, [*looked_at.privileged, *looked_at.charter.keepers])
    graph = estate.graph
    near = {int(i) for group in looked_at.privileged for i in graph.expand(group.id).members}
    ids = estate.ids_of_sids(estate.hosts_administered)
    near |= {i for sid in estate.hosts_administered if (i := ids[sid]) is not None}
    every = estate.catalogue.principals({*estate.catalogue.beyond_ascii().tolist(), *near})
    for one in sorted(every.values(), key=lambda one: one.qualified_name.casefold()):
        if one.kind not in _KINDS:
            continue
        twin = twins.of(one.name, str(one.sid or ""))
        if twin is not None:
            said = f"{marked(one.name)} looks like {twin.qualified_name}, and is not"
            evidence = {"looks_like": twin.qualified_name, "sid": str(twin.sid or "")}
            yield Finding("lookalike-name", Named.of(one), said, evidence=evidence)
        elif odd_letters(one.name):
            said = f"{marked(one.name)} has letters that are not what they look like"
            yield Finding("odd-letters", Named.of(one), said)
