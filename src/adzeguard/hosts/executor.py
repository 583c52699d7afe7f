"""Makes one change on a host: read again, compare with what was expected, write, read back."""

from collections.abc import Callable

from adzeguard.core.change.change import Change
from adzeguard.core.change.guards.judge import Allowed
from adzeguard.core.change.host_change import ExpectingChange, HostChange
from adzeguard.core.change.looking import look_only, looked_at
from adzeguard.core.change.outcome import Intent, Outcome, Status
from adzeguard.core.errors import HostError, HostRefusedError, InputError
from adzeguard.core.estate.hosts import HostState
from adzeguard.hosts.port import HostSession

Judge = Callable[[Change, HostState], str]
"""Says why a change must not be made on a host as it stands now, in no words where it may."""


def no_harm(_change: Change, _state: HostState) -> str:
    """Judge that anything may be made."""
    return ""


def make_on_host(
    session: HostSession, allowed: Allowed, intent: Intent, judge: Judge = no_harm
) -> tuple[Outcome, HostState | None]:
    """Make one change; return what became of it, and the state that was read last.

    `intent` is called right before the write, and not at all when nothing is written.
    """
    return _made(session, allowed.change, intent, judge)


def seen_on_host(session: HostSession, change: Change) -> Outcome | None:
    """Look, without writing, what would become of a change now; None where it would be written."""
    return looked_at(lambda: _made(session, change, look_only, no_harm)[0])


def _made(  # noqa: PLR0911 - one way out for each thing that can become of it
    session: HostSession, change: Change, intent: Intent, judge: Judge
) -> tuple[Outcome, HostState | None]:
    if not isinstance(change, HostChange):
        return Outcome(change, Status.UNSUPPORTED, f"a host has no change of the kind {change.kind}"), None
    try:
        before = session.read()
        lacking = change.lacking(before)
        if lacking:
            return Outcome(change, Status.UNSUPPORTED, f"{change.host_name} has {before.unsupported(lacking)}"), before
        is_so = change.stands(before)
        if is_so is None:
            return Outcome(change, Status.CONFLICT, f"{change.host_name} has nothing like it any more"), before
        if is_so:
            return Outcome(change, Status.CONFLICT, "it is so already", already=True), before
        if isinstance(change, ExpectingChange) and not change.finds(before):
            return Outcome(change, Status.CONFLICT, "it is another one by now than the proposal saw"), before
        harm = judge(change, before)
        if harm:
            return Outcome(change, Status.HELD_BACK, harm), before
        intent(change)
        session.change(change)
        after = session.read()
    except HostRefusedError as error:
        return Outcome(change, Status.REFUSED, error.message), None
    except (HostError, InputError) as error:
        return Outcome(change, Status.UNREACHABLE, error.message), None
    if change.stands(after):
        return Outcome(change, Status.VERIFIED), after
    return Outcome(change, Status.DIFFERS, "written, but read back otherwise"), after
