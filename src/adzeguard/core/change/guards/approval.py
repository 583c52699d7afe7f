"""What the workspace names needs somebody else's yes."""

from collections.abc import Iterator
from typing import Final

from adzeguard.core.change.guards.case import Case
from adzeguard.core.change.guards.needs import NO_NEEDS

_SHOWN: Final = 5
WAY_OUT: Final = (
    "Propose it into a file (--only-propose FILE), let somebody else run: adzeguard approve FILE, then: adzeguard enact"
    " FILE"
)


def lacking_approval(case: Case) -> Iterator[str]:
    """Yield why the changes must wait for somebody else's yes, once for each reason."""
    if case.approved_by or case.approval == NO_NEEDS:
        return
    waiting: dict[str, list[str]] = {}
    for change in case.changes:
        why = case.approval.why(case.estate, change)
        if why:
            waiting.setdefault(why, []).append(change.id)
    for why, ids in list(waiting.items())[:_SHOWN]:
        more = f" and {len(ids) - 1} more" if len(ids) > 1 else ""
        yield f"{why} need somebody else's yes ({ids[0]}{more}). {WAY_OUT}"
    if len(waiting) > _SHOWN:
        yield f"and {len(waiting) - _SHOWN} other reasons for which somebody else must say yes"
