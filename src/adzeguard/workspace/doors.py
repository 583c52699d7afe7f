"""By which doors people get into hosts, now and after the charter: the views of a workspace."""

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING

from adzeguard.core.access.doors import Door, Doors, lost_hosts, programs_needed, what_becomes
from adzeguard.core.access.members import people_inside
from adzeguard.core.errors import UsageError
from adzeguard.core.estate.names import resolve
from adzeguard.core.estate.principal import Kind
from adzeguard.core.identity import Sid
from adzeguard.core.views.doors import counted_table, doors_table
from adzeguard.core.views.table import Table
from adzeguard.core.wording import some_of
from adzeguard.workspace.reaching import left_lately

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace

_NAMED = 8


def counted(workspace: "Workspace") -> Table:
    """Return the doors with how many people and hosts each is about, those that let in most first."""
    return counted_table(Doors(workspace.estate).counted())


def doors_now(workspace: "Workspace", name: str = "") -> Table:
    """Return the doors of a person or into a host, or all."""
    doors = _asked(workspace, Doors(workspace.estate), name)
    return doors_table(((door, "") for door in doors), f"Doors{_of(name)}", _left_there(workspace, name))


def _left_there(workspace: "Workspace", name: str) -> str:
    """Return in words which privileged accounts left a password or a ticket on a host; nothing for anything else."""
    found = resolve(workspace.estate, name) if name else None
    if found is None or found.kind != Kind.COMPUTER:
        return ""
    estate, now = workspace.estate, workspace.looked_from
    inside = set(people_inside(estate.graph, [group.id for group in workspace.privileged]).tolist())
    left = sorted(left_lately(workspace).on(found), key=lambda one: one.at, reverse=True)
    known = estate.who_are({Sid(one.sid) for one in left})
    told = [
        f"{known[Sid(one.sid)].qualified_name} {one.in_words()} ({one.proof(now).label})"
        for one in left
        if known[Sid(one.sid)].id in inside
    ]
    return f"Privileged accounts whose password or ticket it has seen: {some_of(told, _NAMED)}" if told else ""


def doors_after_charter(workspace: "Workspace", name: str = "", also: Sequence[str] = ()) -> Table:
    """Return the same, with what becomes of each once the charter is followed: stays, goes, loses or comes."""
    from adzeguard.core.change.kinds.elevation import GiveElevation
    from adzeguard.core.change.outlook import outlook

    changes = workspace.charter_draft(tuple(also)).changes
    then = outlook(workspace.estate, changes)
    now, later = Doors(workspace.estate), Doors(workspace.estate, then.graph, then.administrators)
    doors = list(what_becomes(_asked(workspace, now, name), _asked(workspace, later, name)))
    given = [(c.host, c.who.sid, c.program) for c in changes if isinstance(c, GiveElevation)]
    needed = programs_needed(workspace.estate, doors, given)
    lost = [f"{person} ({count})" for person, count in lost_hosts(doors).items()]
    note = f"Lose hosts ({len(lost)}): {some_of(lost, _NAMED)}" if lost else "Nobody loses a host."
    if needed:
        note += "\nWhat they ran elevated, as far as hosts log it, a rule with elevate can let them go on running."
    return doors_table(doors, f"Doors{_of(name)}, before and after the charter", note, needed)


def _of(name: str) -> str:
    return f": {name}" if name else ""


def _asked(workspace: "Workspace", doors: Doors, name: str) -> Iterator[Door]:
    if not name:
        return doors.all()
    found = resolve(workspace.estate, name)
    if found.kind == Kind.COMPUTER:
        host = workspace.estate.host_named(found.name)
        if host is None or host.state is None:
            why = host.why_unknown if host is not None else "it is no host"
            raise UsageError(
                f"nothing is known of {found.qualified_name}: {why}", "Run adzeguard collect when it is on"
            )
        return doors.into(host)
    is_foreign = workspace.estate.is_of_another_domain(found.sid or "")
    if found.kind not in (Kind.USER, Kind.SERVICE) and not is_foreign:
        raise UsageError(f"{found.qualified_name} is {found.kind.one}", "Name a person or a host")
    return doors.of(found)
