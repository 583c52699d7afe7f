"""Reading the directory and the hosts into the store of a workspace."""

from collections.abc import Callable, Sequence
from datetime import timedelta
from typing import TYPE_CHECKING, Final

from adzeguard.core.errors import UsageError
from adzeguard.core.wording import some_of, when
from adzeguard.kerberos_client import ticket_ends
from adzeguard.store.back_links import BackLinks
from adzeguard.store.foreign_names import ForeignNames
from adzeguard.store.leases import Leases
from adzeguard.store.put_in import PutIn
from adzeguard.store.shares import Shares
from adzeguard.workflows.back_links import orphaned_back_links
from adzeguard.workflows.collect import Collected, Progress, Sources, collect
from adzeguard.workflows.foreigners import ask_for_names
from adzeguard.workflows.leases import end_what_was_taken_out
from adzeguard.workflows.put_in import forget_what_is_gone
from adzeguard.workflows.settle_later import settle_unknown
from adzeguard.workflows.shares import SharesRead, read_shares
from adzeguard.workspace.domains import chosen_domains

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace


_SOON: Final = timedelta(minutes=15)
_AT_ONCE: Final = timedelta(minutes=1)


def silent(_what: str, _done: int, _of: int | None) -> None:
    """Take how far a collection is, and tell nobody."""


def collected(
    workspace: "Workspace",
    *,
    full: bool = False,
    workers: str = "",
    progress: Progress = silent,
    only: Sequence[str] = (),
) -> Collected:
    """Read everything, or from a server that can tell only what changed, and settle by it what was not known.

    A host that does not answer keeps the state that was last read of it. An error on the way leaves the last
    collection in force. `only` are names of domains, where the workspace has several: the others stay as they are.
    """
    _look_at_ticket(workspace)
    with (
        workspace.held("collect"),
        workspace.directory(chosen_domains(workspace, only)) as directory,
        workspace.hosts() as hosts,
        workspace.other_domains() as others,
    ):
        crew = workspace.crew(workers)
        sources = Sources(directory, hosts, workspace.store, workspace.now, progress, workspace.names, crew, others)
        done = collect(sources, full=full)
        ForeignNames(workspace.database).keep(done.told.names)
        workspace.look_anew()
        for name, why in done.unread:
            if why:
                workspace.frontend.say(f"Did not answer, and is known as it was read before: {name}: {why}")
        for said in done.told.silent:
            workspace.frontend.say(f"Who is inside its groups is known as it was read before: {said}")
        if trouble := _names_asked(workspace):
            workspace.frontend.say(f"Names of other domains could not be asked for: {trouble}")
        links = BackLinks(workspace.database)
        links.write(list(orphaned_back_links(directory, workspace.estate, workspace.privileged, links.all())))
        settle_unknown(workspace.journal, workspace.estate, workspace.now(), workspace.operator())
        forget_what_is_gone(PutIn(workspace.database), workspace.journal, workspace.estate)
        ended = end_what_was_taken_out(Leases(workspace.database), workspace.estate, workspace.now())
        if ended:
            names = some_of([one.id for one in ended])
            workspace.frontend.say(f"Ended, since somebody has taken out whom they let in: {names}")
    return done


def _look_at_ticket(workspace: "Workspace") -> None:
    """Say that a ticket ends soon: the directory ends the connection with it. A key table gets new ones by itself."""
    by_ticket = (one.given for one in workspace.settings.all_domains if one.given.get("sign_in") == "kerberos")
    if not any(not given.get("keytab") and not given.get("bind_as") for given in by_ticket):
        return
    ends = ticket_ends()
    # One that has ended, or is about to, the directory tells itself.
    if ends is not None and _AT_ONCE < ends - workspace.now() < _SOON:
        said = f"Your ticket ends at {when(ends)}, and the directory ends the connection with it"
        workspace.frontend.say(f"{said}. If the collection takes longer: kinit -R, or kinit, and collect again")


def _names_asked(workspace: "Workspace") -> str:
    """Ask what SIDs of other domains mean, where the settings say so; return why that failed, or nothing."""
    namer = workspace.foreign_namer()
    if namer is None:
        return ""
    names, permissions = ForeignNames(workspace.database), Shares(workspace.database).permissions()
    told = ask_for_names(workspace.estate, names, namer, workspace.now(), permissions)
    workspace.look_anew()
    return told


def shares_read(
    workspace: "Workspace",
    depth: int,
    asked_to_stop: Callable[[], bool] = lambda: False,
    progress: Progress = silent,
) -> SharesRead:
    """Read file shares with their permissions, so many folders deep; a reading that was stopped is gone on with."""
    if not workspace.settings.shares:
        raise UsageError("no server of file shares is named", "Name one in adzeguard.toml, such as [shares.harbour]")
    with workspace.held("collect --shares"), workspace.share_servers() as servers:
        return read_shares(servers, Shares(workspace.database), workspace.now, progress, depth, asked_to_stop)
