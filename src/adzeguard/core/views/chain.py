"""The chain that makes somebody a member, as a sentence and as a staircase."""

from adzeguard.core.access.chains import chain_as_data, chain_in_words
from adzeguard.core.access.members import Access
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.principal import Principal
from adzeguard.core.views.page import Lines, Page

_WIDEST_STAIRCASE = 20
_HOW = {
    "start": "",
    "member": "lists ",
    "primary group": "is the primary group of ",
    "everybody": "is everybody, among them ",
    "local entry": "names ",
}


def chain_page(member: Principal, target: Named, access: Access | None, perhaps: Principal | None = None) -> Page:
    """Return why somebody is inside, or that nothing leads there.

    `perhaps` is a group of their own, other domain that is inside: whether they are in it, is not known here.
    """
    perhaps = perhaps if access is None else None
    data = {
        "person": member.qualified_name,
        "person_sid": member.sid,
        "target": target.name,
        "target_sid": target.sid,
        "leads_there": access is not None if perhaps is None else None,
        "path": [step.principal.qualified_name for step in access.chain] if access else [],
        "chain": chain_as_data(access) if access else [],
    }
    if perhaps is not None:
        said = f"{perhaps.qualified_name} is in {target.name}, and whether {member.qualified_name} is in that"
        return Page(data, (Lines([f"Not known: {said}, only its own domain knows."]),))
    if access is None:
        return Page(
            data,
            (Lines([f"Nothing leads there: {member.qualified_name} is not in {target.name}, by no chain of groups."]),),
        )
    words = [f"{chain_in_words(access)}."] if len(access.chain) <= _WIDEST_STAIRCASE else []
    return Page(data, (Lines([*words, *_staircase(access)]),))


def _staircase(access: Access) -> list[str]:
    lines = []
    for depth, step in enumerate(access.chain):
        state = "" if step.principal.enabled else ", disabled"
        stair = "   " * min(depth, _WIDEST_STAIRCASE) + ("└─ " if depth else "")
        how = _HOW.get(step.how, f"by {step.how}: ")
        lines.append(f"{stair}{how}{step.principal.qualified_name} ({step.principal.label}{state})")
    between = len(lines) - 2 * _WIDEST_STAIRCASE
    if between > 1:
        stair = "   " * _WIDEST_STAIRCASE
        lines[_WIDEST_STAIRCASE:-_WIDEST_STAIRCASE] = [f"{stair}… {between} more groups; --format json has them all"]
    return lines
