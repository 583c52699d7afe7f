"""New ways into privileged groups are named before they are made."""

from collections.abc import Iterator

from adzeguard.core.change.guards.case import Case
from adzeguard.core.change.proposal import by_people
from adzeguard.core.change.reach_impact import gives_to_everybody, newly_reaching
from adzeguard.core.wording import some_of


def new_reach(case: Case) -> Iterator[str]:
    """Yield a reason where people get a new way into a privileged group, or everybody gets something, unnamed."""
    count = newly_reaching(case.estate, case.reach_impacts, case.changes)
    named = case.named.new_reach
    if named is not None and named != count:
        yield f"you named --new-reach {named}, and the proposal comes to {count}. Give --new-reach {count}, or none"
    if not count or named is not None:
        return
    how = f"Give --new-reach {count} if that is what you mean"
    for names, groups in by_people(case.reach_impacts, "gains").items():
        yield f"a new way into {', '.join(groups)} for {some_of(names)}. {how}"
    for change in gives_to_everybody(case.changes):
        yield f"{change.id}: {change.in_words()}, which is everybody ({count} users). {how}"
