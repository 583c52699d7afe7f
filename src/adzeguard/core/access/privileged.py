"""Which groups are privileged."""

from collections.abc import Iterable

from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.wellknown import privileged_sids


def privileged_groups(estate: Estate, named: Iterable[Principal]) -> list[Principal]:
    """Return the groups that control the directory, and those that the workspace names as privileged."""
    sids = [sid for one in estate.domain.all for sid in privileged_sids(one.sid, one.builtin)]
    ids = estate.ids_of_sids(sids)
    wanted = [i for sid in sids if (i := ids[sid]) is not None]
    wanted += [group.id for group in named if group.id not in wanted]
    groups = estate.catalogue.principals(wanted)
    return [groups[i] for i in wanted if i in groups and groups[i].kind == Kind.GROUP]
