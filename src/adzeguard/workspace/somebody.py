"""Who is meant, also somebody of another domain of whom nothing stands here yet."""

from typing import TYPE_CHECKING

from adzeguard.core.descriptors.outsiders import row_of_outsider
from adzeguard.core.errors import AdzeguardError, UnknownNameError, UsageError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.names import resolve
from adzeguard.core.estate.principal import NOT_COLLECTED, Principal
from adzeguard.store.foreign_names import ForeignNames

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace


def somebody(workspace: "Workspace", typed: str, *, let_in: bool = True) -> Principal:
    r"""Return who is meant, as `resolve` does.

    Somebody of a trusted domain whom nothing names here yet is understood by SID; by `DOMAIN\name` where the server
    can be asked. They get a row, so that what the change gives them is foreseen and guarded as for everybody.
    `let_in` wants a trust that lets them in: a right can also be given to a SID that nobody knows.
    """
    try:
        found = resolve(workspace.estate, typed)
    except UnknownNameError:
        sid = _asked(workspace, typed)
        if not sid:
            raise
        found = resolve(workspace.estate, sid)
    if found.id != NOT_COLLECTED or not workspace.estate.is_of_another_domain(found.sid or ""):
        return found
    lets_in = {trust.sid for trust in workspace.estate.trusts if trust.lets_in}
    if let_in and found.sid is not None and found.sid.authority not in lets_in:
        raise UsageError(
            f"{found.sid} is of a domain that this directory does not let in", "See whom it lets in: adzeguard trusts"
        )
    return _met(workspace, str(found.sid))


def _asked(workspace: "Workspace", typed: str) -> str:
    """Ask who is called so, where the name says a trusted domain and there is somebody to ask."""
    domain, backslash, _ = typed.partition("\\")
    namer = workspace.foreign_namer() if backslash and _is_trusted(workspace.estate, domain) else None
    return namer.sid_called(typed) if namer is not None else ""


def _is_trusted(estate: Estate, domain: str) -> bool:
    return any(domain.casefold() in (one.short_name.casefold(), one.partner.casefold()) for one in estate.trusts)


def _met(workspace: "Workspace", sid: str) -> Principal:
    """Note somebody of another domain, with the name that the server answers."""
    namer = workspace.foreign_namer()
    with workspace.held("note of somebody of another domain"):
        if namer is not None:
            now = int(workspace.now().timestamp())
            try:
                ForeignNames(workspace.database).keep(namer.foreign_names([sid], now))
            except AdzeguardError as error:
                # The SID says enough: a domain that is off for a while need not hold anybody up.
                workspace.frontend.say(f"What {sid} is called could not be asked for: {error.message}")
        moment = workspace.now()
        facts = workspace.store.latest().facts.of_an_enactment(moment, moment)
        workspace.store.write_observed(facts, [row_of_outsider(sid)], ())
    workspace.look_anew()
    return resolve(workspace.estate, sid)
