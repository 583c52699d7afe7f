"""The domains that a workspace looks after: one directory, or several as one."""

from collections.abc import Callable, Collection, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from adzeguard.core.errors import NothingCollectedError, UsageError
from adzeguard.core.estate.catalogue import DomainRead
from adzeguard.core.identity import Sid
from adzeguard.directory.several import Part, SeveralDomains
from adzeguard.settings.settings import DomainSettings

if TYPE_CHECKING:
    from adzeguard.directory.port import DirectoryDriver
    from adzeguard.store.collections import CollectionFacts
    from adzeguard.workspace.open_workspace import Workspace


def several_domains(
    workspace: "Workspace",
    opening: Callable[[DomainSettings], Callable[[], "DirectoryDriver"]],
    reading: Collection[str] = (),
) -> SeveralDomains:
    """Return the domains that the settings name as one directory; `reading` are those that are read now.

    Of one that was never read it must be asked what it is.
    """
    stored = workspace.store.last_full()
    known = _known(workspace, stored.facts) if stored is not None else {}
    names = [one.name for one in workspace.settings.all_domains]
    parts = [
        Part(one.name, opening(one), known.get(one.name), asked=one.name in reading or not known.keys() & set(names))
        for one in workspace.settings.all_domains
    ]
    return SeveralDomains(parts, lambda sid: _known_as(workspace, sid))


def _known(workspace: "Workspace", facts: "CollectionFacts") -> dict[str, DomainRead]:
    """Return by name what was read of each domain last."""
    first = DomainRead(
        workspace.settings.domain, replace(facts.domain, others=()), facts.invocation_id, facts.highest_usn
    )
    return {one.name: one for one in (first, *facts.others)}


def _known_as(workspace: "Workspace", sid: Sid) -> str:
    try:
        found = workspace.estate.id_of_sid(sid)
    except NothingCollectedError:
        return ""
    return workspace.estate.principal(found).dn if found is not None else ""


def chosen_domains(workspace: "Workspace", names: Sequence[str]) -> list[str]:
    """Return what the domains that somebody named are called in the settings; all where none was named."""
    settings = workspace.settings
    if not names:
        return [one.name for one in settings.all_domains]
    if not settings.domains:
        raise UsageError("--only is for several domains, and this workspace has one", "Leave it away")
    stored = workspace.store.last_full()
    known = _known(workspace, stored.facts) if stored is not None else {}
    called = {one.name.casefold(): one.name for one in settings.all_domains}
    called |= {n.casefold(): r.name for r in known.values() for n in (r.domain.short_name, r.domain.dns_name)}
    chosen = []
    for name in names:
        if name.casefold() not in called:
            raise UsageError(
                f"there is no domain '{name}'", f"There are: {', '.join(one.name for one in settings.all_domains)}"
            )
        chosen.append(called[name.casefold()])
    return chosen
