"""The operator keeps the way to undo a proposal."""

from collections.abc import Iterator

from adzeguard.core.access.keepers import controlling_groups
from adzeguard.core.change.guards.case import Case
from adzeguard.core.change.outlook import standing
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
    administered = standing(estate).held_by_any(estate.marked(had))
    will_be = case.after.administrators.held_by_any(estate.marked(has))
    places = range(len(estate.hosts))
    lost = [estate.hosts[place].name for place in places if administered(place) and not will_be(place)]
    if lost:
        yield f"you ({operator.qualified_name}) would no longer administer {some_of(lost)}. {_WAY_OUT}"
