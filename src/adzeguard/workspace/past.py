"""What was done to memberships: the views of a workspace."""

from datetime import datetime, timedelta
from typing import TYPE_CHECKING

from adzeguard.core.errors import InputError, UsageError
from adzeguard.core.estate.logon_hours import read_times
from adzeguard.core.estate.moments import moment
from adzeguard.core.estate.names import resolve
from adzeguard.core.estate.principal import Kind
from adzeguard.core.identity import Sid
from adzeguard.core.trail.audit_coverage import WANTED
from adzeguard.core.trail.event import NOBODY, Event
from adzeguard.core.trail.event import moment as at_time
from adzeguard.core.values import dataclass
from adzeguard.core.views.history import history_table
from adzeguard.core.views.logons import OnHost, logons_table, on_host_table, used_rows, used_table
from adzeguard.core.views.table import Table
from adzeguard.core.views.timeline import Timeline
from adzeguard.core.wording import when
from adzeguard.store.leases import Leases
from adzeguard.store.questions import Questions, Waivers
from adzeguard.store.seen_on import SeenOnHosts
from adzeguard.store.trail import LogonsAsked
from adzeguard.workflows.exact_times import with_exact_times
from adzeguard.workflows.history import Asked, answered
from adzeguard.workflows.past_members import logons_of, people_in
from adzeguard.workflows.timeline import Decided, timeline_of

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace


_A_MONTH = timedelta(days=30)


@dataclass(frozen=True, slots=True)
class Wish:
    """Which events: of a group, about a person, by somebody, at which time. What is empty asks for all."""

    group: str = ""
    person: str = ""
    by: str = ""
    since: datetime | None = None
    until: datetime | None = None
    outside: str = ""
    """Only at other hours than these, such as "Mon-Fri 07:00-19:00"; several parts stand between semicolons."""
    direct: bool = False
    undeclared: bool = False
    ask_directory: bool = False


def history_of(workspace: "Workspace", wish: Wish) -> Table:
    """Return who was put into a group or taken out, by whom, when, from where, and whether it is still so."""
    estate = workspace.estate
    about, person, by = (resolve(estate, name) if name else None for name in (wish.group, wish.person, wish.by))
    if about is not None and about.kind != Kind.GROUP:
        raise UsageError(f"{about.qualified_name} is {about.kind.one}", "For a person: adzeguard history --person")
    try:
        hours = read_times(wish.outside.split(";")) if wish.outside else None
    except InputError as error:
        raise UsageError(f"--outside: {error.message}") from error
    offset = workspace.now().astimezone().utcoffset()
    asked = Asked(about, person, by, wish.since, wish.until, hours, offset, wish.direct, wish.undeclared)
    name = about.qualified_name if about is not None else ""
    if not wish.ask_directory:
        return history_table(answered(asked, workspace.past), name)
    with workspace.directory() as directory:
        rows = answered(asked, workspace.past, lambda known, of: with_exact_times(known, of, directory, estate))
    return history_table(rows, name)


def timeline(workspace: "Workspace", name: str, since: datetime | None = None) -> Timeline:
    """Return who was inside a group when, of the last month unless a moment is given."""
    about = resolve(workspace.estate, name)
    if about.kind != Kind.GROUP:
        raise UsageError(f"{about.qualified_name} is {about.kind.one}", "For a person: adzeguard history --person")
    begin = since or workspace.now() - _A_MONTH
    if begin >= workspace.now():
        raise UsageError(f"{when(begin)} is still to come", "Name a time that is over")
    database = workspace.database
    decided = Decided(Leases(database).all(), Questions(database).all(), Waivers(database).all())
    return timeline_of(workspace.past, about, begin, workspace.now(), decided)


def logons_on(workspace: "Workspace", name: str, since: datetime) -> Table:
    """Return who logged on to a host since a moment, by the log and by the host itself, each way once."""
    estate, host = workspace.estate, resolve(workspace.estate, name)
    if host.kind != Kind.COMPUTER:
        raise UsageError(f"{host.qualified_name} is {host.kind.one}", "For an account: adzeguard logons ACCOUNT")
    privileged = set(people_in(workspace.past, workspace.privileged))
    logged = workspace.trail.logons_at(host.name, LogonsAsked((), since, workspace.now()))
    told = [(sid if sid != NOBODY else "", name, how, at_time(at), "the log") for name, sid, _, how, at in logged]
    told += [(o.sid, "", o.how, o.at, "the host") for o in SeenOnHosts(workspace.database).at(host.id) if o.at >= since]
    known = estate.who_are({Sid(sid) for sid, *_ in told if sid})
    last: dict[tuple[str, str, str], OnHost] = {}
    for sid, name_told, how, at, by in sorted(told, key=lambda one: one[3]):
        name = known[Sid(sid)].qualified_name if sid else name_told
        last[name, how, by] = OnHost(name, sid, how, at, by, sid in privileged)
    return on_host_table(last.values(), host.qualified_name)


def logons(workspace: "Workspace", account: str, since: datetime) -> Table:
    """Return when each privileged account was used last, and tried in vain; of one account, each of its logons."""
    past = workspace.past
    if account:
        about = resolve(workspace.estate, account)
        events = [event for _, event in logons_of(past, [about], since)]
        seen = [one for one in SeenOnHosts(workspace.database).of([about.sid or ""]) if one.at >= since]
        events += [Event(o.at, "logon", group=o.host, way=o.how, claimed=o.host) for o in seen]
        return logons_table(
            sorted(events, key=lambda event: event.at), about.qualified_name, moment(about.details.get("last_logon"))
        )
    people = people_in(past, workspace.privileged)
    first, _ = past.trail.span()
    told = first is not None and first <= since and past.trail.has(WANTED["logons"])
    rows = used_rows(people, logons_of(past, people.values(), since))
    return used_table(rows, since, workspace.now(), whole=told)
