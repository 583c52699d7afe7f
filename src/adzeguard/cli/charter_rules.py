"""adzeguard charter add, allow, remove: rules that a command writes."""

from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from adzeguard.cli.agreeing import agree
from adzeguard.cli.completing import names, rule_ids
from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.opening import opened
from adzeguard.cli.options import example, workspace_option
from adzeguard.cli.output import put_lines, put_view, say
from adzeguard.core.errors import UsageError

if TYPE_CHECKING:
    from adzeguard.core.charter.amendment import Amendment
    from adzeguard.workspace.open_workspace import Workspace

_yes_option = click.option("--yes", is_flag=True, help="Write it without asking.")
_file_option = click.option("--file", "file", default="", metavar="NAME", help="Into this file of the charter.")


def add_rule_commands(charter: click.Group) -> None:
    """Put the commands that write rules below `charter`."""
    for command in (add, allow, remove):
        charter.add_command(command)


@click.command(
    "add",
    cls=HeadedCommand,
    short_help="Write a rule about members.",
    epilog=example("adzeguard charter add 'Radio Watch' --include orla.fenn"),
)
@click.argument("group", required=False, default="", shell_complete=names("group"))
@click.option("--on", "hosts", multiple=True, metavar="HOST", shell_complete=names("computer"), help="On this host.")
@click.option("--under", multiple=True, metavar="OU", help="On the hosts below this OU.")
@click.option("--everywhere", is_flag=True, help="On every host.")
@click.option("--only", multiple=True, metavar="NAME", help="Exactly these, and nobody else.")
@click.option("--nobody", is_flag=True, help="Nobody at all: an empty --only.")
@click.option("--include", multiple=True, metavar="NAME", help="These too; others stay.")
@click.option("--exclude", multiple=True, metavar="NAME", help="Never these.")
@click.option("--why", default="", metavar="TEXT", help="Why the rule exists, for later readers.")
@click.option("--owner", default="", metavar="ADDRESS", help="Who hears of deviations.")
@click.option("--response", type=click.Choice(("tell", "mend")), help="tell the owner, or mend by a proposal.")
@click.option("--id", "name", default="", metavar="ID", help="The id of the rule; without it one is made.")
@_file_option
@_yes_option
@workspace_option
def add(
    group: str,
    hosts: tuple[str, ...],
    under: tuple[str, ...],
    everywhere: bool,
    only: tuple[str, ...],
    nobody: bool,
    include: tuple[str, ...],
    exclude: tuple[str, ...],
    why: str,
    owner: str,
    response: str | None,
    name: str,
    file: str,
    yes: bool,
    folder: Path | None,
) -> int:
    r"""Write a rule about the members of GROUP into the charter, and show first what follows from it.

    With --on, --under or --everywhere the rule is about a local group of these hosts, administrators unless GROUP names
    another. Names are completed with their domain, OUs with their base. An account of the host itself is local\NAME.

    --only removes everybody who is not listed; --include removes nobody. Write all other kinds of rules with an editor;
    adzeguard charter schema prints the JSON Schema for it.
    """
    from adzeguard.workspace.amending import completed_group, completed_principals, completed_scope, new_rule

    if not (only or nobody or include or exclude):
        raise UsageError("this rule demands nothing", "Give --only, --include, --exclude or --nobody")
    if nobody and (only or include):
        raise UsageError("--nobody contradicts --only and --include", "Leave one of them out")
    on_hosts = bool(hosts or under or everywhere)
    if not group and not on_hosts:
        raise UsageError("this rule says no group", "Name a group of the directory, or hosts: --on HOST, --under OU")
    workspace = opened(folder)
    words: dict[str, Any] = {"id": name, "why": why, "owner": owner, "response": response}
    if on_hosts:
        words["hosts"] = completed_scope(workspace, hosts, under, everywhere=everywhere)
        words["local-group"] = completed_group(workspace, group or "administrators", on_hosts=True)
    else:
        words["group"] = completed_group(workspace, group, on_hosts=False)
    for key, given in (("only", only), ("include", include), ("exclude", exclude)):
        if given or (key == "only" and nobody):
            words[key] = completed_principals(workspace, given, on_hosts=on_hosts)
    return _amend(workspace, new_rule(workspace, words), file, yes=yes)


@click.command(
    "allow",
    cls=HeadedCommand,
    short_help="Allow what a finding is about.",
    epilog=example("adzeguard charter allow Q2 --everywhere --why 'agreed'"),
)
@click.argument("finding")
@click.option("--until", type=click.DateTime(["%Y-%m-%d"]), metavar="DAY", help="Up to this last day: 2026-12-24.")
@click.option("--everywhere", is_flag=True, help="Wherever the rule holds, not only on the host of the finding.")
@click.option("--why", default="", metavar="TEXT", help="Why; it stands in the rule that is written.")
@_file_option
@_yes_option
@workspace_option
def allow(
    finding: str, until: datetime | None, everywhere: bool, why: str, file: str, yes: bool, folder: Path | None
) -> int:
    """Write into the charter that FINDING is as it should be.

    A member becomes an entry of the rule that misses or refuses it, a grant that no rule says a rule of its own.

    FINDING is a question, such as Q3, or a fingerprint, of which the beginning is enough; check --columns
    fingerprint,message shows them. A member of a local group is allowed on its host alone, by a rule of its own, unless
    --everywhere is given. To leave a finding as it is without changing the charter: adzeguard questions leave.
    """
    from adzeguard.workspace.amending import allowed

    workspace = opened(folder)
    day = until.date() if until is not None else None
    return _amend(workspace, allowed(workspace, finding, why, day, everywhere=everywhere), file, yes=yes)


@click.command(
    "remove",
    cls=HeadedCommand,
    short_help="Take a rule out.",
    epilog=example("adzeguard charter remove kiosk-administrators"),
)
@click.argument("rule", shell_complete=rule_ids)
@_yes_option
@workspace_option
def remove(rule: str, yes: bool, folder: Path | None) -> int:
    """Take RULE out of the charter, with the comment above it, and show first what follows.

    What the rule put in place is withdrawn by the next proposal, unless the rule says `leave: true`. To switch a rule
    off for a while, write `enabled: false` into it.
    """
    from adzeguard.workspace.amending import removed_rule

    workspace = opened(folder)
    return _amend(workspace, removed_rule(workspace, rule), "", yes=yes)


def _amend(workspace: "Workspace", amendment: "Amendment", file: str, *, yes: bool) -> int:
    from adzeguard.core.views.charter_difference import what_follows
    from adzeguard.workspace.amending import amended, write_amended

    one = amended(workspace, amendment, file)
    put_lines([*one.lines[2:], ""])
    difference = one.difference
    put_view(what_follows(difference.effect, difference.impact, difference.refusals, difference.sizes), "table")
    if not yes:
        agree(f"Write this to {one.shown}?", f"{one.shown} was not changed: the rule waits")
    write_amended(workspace, one)
    say(f"Written to {one.shown}.")
    gone = amendment.after is None
    say("Next: adzeguard propose" if gone or difference.effect.made else f"Next: adzeguard check --rule {one.rule}")
    return Exit.NOTHING_TO_REPORT
