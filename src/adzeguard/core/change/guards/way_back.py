"""The operator keeps the way to undo a proposal."""

from collections.abc import Iterator

from adzeguard.core.access.keepers import controlling_groups
from adzeguard.core.change.guards.case import Case
from adzeguard.core.estate.estate import Estate
from adzeguard.core.identity import Sid
from adzeguard.core.wording import some_of

_WAY_OUT = "Leave yourself inside, or let somebody else enact it"


def lost_ways_back(case: Case) -> Iterator[str]:
    """Yield a reason where the operator would take away their own way to undo the proposal."""
    operator, estate = case.operator, case.estate
    if operator is None or operator.id < 0 or not case.changes:
        return
    had = {operator.id, *estate.graph.effective_groups(operator.id).tolist()}
    has = {operator.id, *case.after.graph.effective_groups(operator.id).tolist()}
    for group in controlling_groups(estate):
        if group in had and group not in has:
            name = estate.principal(group).qualified_name
            yield f"you ({operator.qualified_name}) would lose {name}, and with it the way to undo this. {_WAY_OUT}"
    lost = [
        host.name
        for host, before, then in zip(estate.hosts, estate.host_administrators, case.after.administrators, strict=True)
        if _among(estate, before, had) and not _among(estate, then, has)
    ]
    if lost:
        yield f"you ({operator.qualified_name}) would no longer administer {some_of(lost)}. {_WAY_OUT}"


def _among(estate: Estate, members: frozenset[Sid], ids_of_operator: set[int]) -> bool:
    ids = estate.ids_of_sids(members)
    return any(ids[sid] in ids_of_operator for sid in members)
