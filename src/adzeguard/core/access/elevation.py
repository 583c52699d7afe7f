"""Whether somebody runs a program elevated at a host, and why."""

from adzeguard.core.estate.elevation import NO_ARGUMENTS, Elevation, arguments_in_words, elevations_of
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.identity import Sid
from adzeguard.core.wellknown import ADMINISTRATORS


def runs_elevated(
    state: HostState, token: frozenset[Sid], program: str, arguments: str, today: str
) -> tuple[bool, str]:
    """Return whether somebody with this token runs a program elevated, and in words why or why not."""
    group = state.group(ADMINISTRATORS)
    if group is not None and group.members & token:
        return True, "they administer the host"
    part = elevations_of(state)
    theirs = [one for one in part.granted if one.program == program and one.who in token] if part else []
    now = part.digests.get(program, "") if part else ""
    for one in theirs:
        if not _why_not(one, now, arguments, today):
            return True, f"it is elevated for them at {one.sha256[:12]}…"
    return False, _why_not(theirs[0], now, arguments, today) if theirs else "nothing elevates it for them"


def _why_not(one: Elevation, digest: str, arguments: str, today: str) -> str:
    if one.sha256 != digest:
        return f"the program was changed: it is {digest[:12]}… and not {one.sha256[:12]}…"
    if one.until and today > one.until:
        return f"it was elevated for them until {one.until}"
    if one.arguments in ("", arguments or NO_ARGUMENTS):
        return ""
    return f"it is elevated for them {arguments_in_words(one.arguments)} alone"
