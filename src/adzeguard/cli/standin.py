"""adzeguard hosts standin: use a stand-in host as a person would."""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.completing import names
from adzeguard.cli.exits import Exit
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.opening import opened
from adzeguard.cli.options import card_options, example, workspace_option
from adzeguard.cli.output import put_view
from adzeguard.workspace.open_workspace import Workspace

if TYPE_CHECKING:
    from adzeguard.core.estate.hosts import Host, HostState
    from adzeguard.core.identity import Sid
    from adzeguard.core.views.page import Fact


@click.group(
    "standin", cls=CommandGroup, epilog=example("adzeguard hosts standin logon KIOSK-07 orla.fenn --by console")
)
def command() -> None:
    """Use a stand-in host as a person would: log on, or run a program."""


@command.command("logon", epilog=example("adzeguard hosts standin logon KIOSK-07 orla.fenn --by console"))
@click.argument("host", shell_complete=names("computer"))
@click.argument("person", shell_complete=names("user"))
@click.option(
    "--by",
    "way",
    type=click.Choice(["console", "remote"]),
    required=True,
    help="How they log on: at the console or over the network.",
)
@card_options
@workspace_option
def logon(host: str, person: str, way: str, form: str, output: Path | None, folder: Path | None) -> int:
    r"""Log on at a stand-in host as PERSON, an account of the directory, or local\NAME for one of the host.

    Ends with 0 when they are let, and with 3 when they are refused.
    """
    from adzeguard.core.access.logon import may_log_on, token_on
    from adzeguard.core.estate.logon import logon_of
    from adzeguard.core.estate.names import on_host
    from adzeguard.core.estate.notice import Notice, notice_of
    from adzeguard.core.views.page import Fact, Page

    workspace = opened(folder)
    there, state = _standin(workspace, host)
    who, sid, enabled = _person(workspace, there, state, person)
    admission = may_log_on(logon_of(state), token_on(workspace.estate, state, sid), way)
    notice = notice_of(state) or Notice()
    allowed = admission.allowed and enabled
    because = "the account is disabled" if not enabled else ""
    if not because and admission.because:
        entry = on_host(workspace.estate, state, there.name, [_sid(admission.because)])[_sid(admission.because)]
        because = f"{entry.qualified_name} is {'let' if allowed else 'refused'} by {way}"
    elif not because and not allowed:
        because = f"only others may log on by {way}"
    shown = {"title": notice.title, "text": notice.text} if notice else None
    data = {
        "host": there.name,
        "person": who,
        "person_sid": str(sid),
        "by": way,
        "allowed": allowed,
        "because": because,
        "notice": shown,
    }
    facts = [
        Fact(who, f"{'may' if allowed else 'may not'} log on at {there.name} by {way}", "yes" if allowed else "no")
    ]
    facts += [Fact("Because", because)] if because else []
    facts += [Fact("Shown before", [notice.title, *notice.text.splitlines()])] if notice else []
    put_view(Page(data, facts), form, output)
    return Exit.NOTHING_TO_REPORT if allowed else Exit.TO_REPORT


@command.command("run", epilog=example("adzeguard hosts standin run CONSOLE-03 orla.fenn /opt/charts/update"))
@click.argument("host", shell_complete=names("computer"))
@click.argument("person", shell_complete=names("user"))
@click.argument("program")
@click.argument("arguments", nargs=-1)
@card_options
@workspace_option
def run(
    host: str,
    person: str,
    program: str,
    arguments: tuple[str, ...],
    form: str,
    output: Path | None,
    folder: Path | None,
) -> int:
    r"""Run PROGRAM at a stand-in host as PERSON would: refused, as themselves, or elevated.

    Ends with 0 when it runs, and with 3 when it does not.
    """
    from adzeguard.core.access.elevation import runs_elevated
    from adzeguard.core.access.logon import may_log_on, token_on
    from adzeguard.core.estate.elevation import elevations_of
    from adzeguard.core.estate.logon import logon_of
    from adzeguard.core.views.page import Page

    workspace = opened(folder)
    there, state = _standin(workspace, host)
    who, sid, enabled = _person(workspace, there, state, person)
    token = token_on(workspace.estate, state, sid)
    comes_in = enabled and any(may_log_on(logon_of(state), token, way).allowed for way in ("console", "remote"))
    part = elevations_of(state)
    digest = part.digests.get(program, "") if part else ""
    allowed, elevated, because = comes_in and bool(digest), False, ""
    if not comes_in:
        because = "they cannot log on there"
    elif not digest:
        because = f"there is no {program}"
    else:
        elevated, because = runs_elevated(
            state, token, program, " ".join(arguments), workspace.now().astimezone().date().isoformat()
        )
    data = {
        "host": there.name,
        "person": who,
        "person_sid": str(sid),
        "program": program,
        "allowed": allowed,
        "elevated": elevated,
        "because": because,
    }
    put_view(Page(data, _told(data)), form, output)
    return Exit.NOTHING_TO_REPORT if allowed else Exit.TO_REPORT


def _told(data: dict[str, object]) -> "list[Fact]":
    from adzeguard.core.views.page import Fact

    how = "elevated" if data["elevated"] else "as themselves" if data["allowed"] else "not at all"
    said = f"{data['program']} runs {how} at {data['host']}"
    return [Fact(str(data["person"]), said, "yes" if data["allowed"] else "no"), Fact("Because", str(data["because"]))]


def _standin(workspace: Workspace, name: str) -> "tuple[Host, HostState]":
    """Return a stand-in host and its state as it stands there now, which may be another than was collected."""
    from adzeguard.core.errors import UsageError
    from adzeguard.core.estate.names import resolve_host
    from adzeguard.hosts.guarded_session import session_with
    from adzeguard.hosts.standin import StandinHosts

    host = resolve_host(workspace.estate, name)
    with workspace.hosts() as fleet:
        if not isinstance(fleet.source_with(host), StandinHosts):
            raise UsageError(f"{host.name} is no stand-in host", "Log on at the host itself")
        with session_with(fleet, host) as session:
            return host, session.read()


def _person(workspace: Workspace, host: "Host", state: "HostState", typed: str) -> "tuple[str, Sid, bool]":
    from adzeguard.core.errors import UnknownNameError, UsageError
    from adzeguard.core.estate.names import resolve
    from adzeguard.core.estate.principal import Kind

    prefix = "local\\"
    if typed.casefold().startswith(prefix):
        sid = state.account_named(typed[len(prefix) :])
        account = next((account for account in state.accounts if account.sid == sid), None)
        if sid is None or account is None:
            known = ", ".join(account.name for account in state.accounts)
            raise UnknownNameError(f"{host.name} has no account '{typed[len(prefix) :]}'", f"It has: {known}")
        return rf"{host.name}\{account.name}", sid, account.enabled
    person = resolve(workspace.estate, typed)
    if person.kind != Kind.USER:
        raise UsageError(f"{person.qualified_name} is {person.kind.one}, and nobody logs on as one")
    return person.qualified_name, _sid(person.sid), person.enabled


def _sid(text: str | None) -> "Sid":
    from adzeguard.core.identity import Sid

    return Sid(text or "")
