"""adzeguard charter."""

from pathlib import Path

import click

from adzeguard.cli.charter_diff import diff
from adzeguard.cli.charter_rules import add_rule_commands
from adzeguard.cli.completing import names, rule_ids
from adzeguard.cli.exits import Exit
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.opening import opened
from adzeguard.cli.options import card_options, example, listing_options, output_option, workspace_option
from adzeguard.cli.output import put, put_json, put_lines, put_view, say


@click.group(
    "charter",
    cls=CommandGroup,
    instead={"show": "adzeguard report charter", "check": "adzeguard check"},
    epilog=example("adzeguard charter lint"),
)
def command() -> None:
    """Write rules, find mistakes in them, see where they hold, and compare versions of the charter."""


@command.command("lint", short_help="Look for mistakes in the charter.", epilog=example("adzeguard charter lint"))
@click.option("--take-names", is_flag=True, help="Accept the object that each name stands for now.")
@card_options
@workspace_option
def lint(take_names: bool, form: str, output: Path | None, folder: Path | None) -> int:
    """Read the charter and resolve its names against what was collected; changes nothing.

    Ends with 3 if a rule cannot be followed: a name is unknown or ambiguous, a duty has no meaning over its object, two
    rules contradict each other, or an owner is to get mail and is no address. Ends with 1 if the charter cannot be
    read.

    The SID behind each name is kept. If a group was renamed, the rule goes on with its SID, and lint says so. If
    another object has taken the name, the rule stops until you run --take-names.
    """
    from adzeguard.core.errors import CharterError, NothingCollectedError
    from adzeguard.core.views.lint import lint_lines, lint_page, mistakes_of, unreadable
    from adzeguard.workspace.answerers import owners_nobody_mails

    workspace = opened(folder)
    if take_names:
        with workspace.held("charter lint"):
            workspace.take_names_anew()
    try:
        rules = workspace.written_charter.rules
    except CharterError as error:
        if form == "table":
            raise
        put_view(lint_page([unreadable(problem) for problem in error.problems], 0), form, output)
        return Exit.FAILED
    mistakes = []
    try:
        mistakes = mistakes_of(workspace.corrections())
    except NothingCollectedError:
        say("Names are not looked up, since nothing has been collected yet.")
    mistakes += owners_nobody_mails(workspace)
    if form == "table":
        # One mistake is one line, however long: editors and scripts read them so.
        put_lines(lint_lines(mistakes, len(rules)), output)
    else:
        put_view(lint_page(mistakes, len(rules)), form, output)
    return Exit.TO_REPORT if mistakes else Exit.NOTHING_TO_REPORT


@command.command(
    "adopt",
    short_help="Write a first charter from what stands.",
    epilog=example("adzeguard charter adopt --output adopted.yaml"),
)
@output_option
@workspace_option
def adopt(output: Path | None, folder: Path | None) -> int:
    """Write a first charter from what stands now, so that nobody starts from an empty file.

    Each privileged group gets a rule, each OU one for its hosts, each host that differs from its neighbours one of its
    own, and each grant that fits a duty one. All rules have the response tell, and a check right after finds no
    deviation from them. The file is charter/adopted.yaml; if the charter has rules already, name another with --output.
    """
    from adzeguard.core.adopting.adopt import adopted_charter
    from adzeguard.core.errors import UsageError

    workspace = opened(folder)
    folder = workspace.settings.charter_folder
    if output is None and workspace.written_charter.rules:
        raise UsageError("this charter has rules already", "Give --output FILE, and take over what you want")
    text = adopted_charter(workspace.rights, workspace.privileged)
    put(text, output or folder / "adopted.yaml")
    return Exit.NOTHING_TO_REPORT


@command.command("where", epilog=example("adzeguard charter where kiosk-administrators"))
@click.argument("rule", shell_complete=rule_ids)
@listing_options
@workspace_option
def where(rule: str, form: str, output: Path | None, folder: Path | None) -> int:
    """List the hosts that RULE reaches, its effect on each, and what it finds there.

    Entries that the rule has put in go when the rule goes. Entries that stood before stay, until adzeguard propose
    --take-over RULE.

    Ends with 3 when it finds anything.
    """
    from adzeguard.core.charter.host_scope import on_hosts
    from adzeguard.core.errors import UsageError
    from adzeguard.core.review.corrections import corrections
    from adzeguard.core.review.met import met_by
    from adzeguard.core.views.rule_reach import where_table
    from adzeguard.workspace.deviations import refuse_unknown_rules

    workspace = opened(folder)
    refuse_unknown_rules(workspace, (rule,))
    resolved = next((one for one in workspace.charter.rules if one.id == rule), None)
    if resolved is None:
        raise UsageError(f"the rule {rule} does not hold: it is switched off, past its last day, or has a wrong name")
    about = on_hosts(resolved)
    if about is None:
        raise UsageError(f"the rule {rule} is not about hosts", "See: adzeguard check")
    estate, whole, put_in = workspace.estate, workspace.charter, workspace.put_in
    ours = {key for change in put_in for key in change.claims()}
    found = corrections(workspace.rights, whole, put_in)
    table = where_table(estate, whole, about, found, put_in, met_by(estate, whole, resolved, ours))
    put_view(table, form, output)
    return Exit.TO_REPORT if any(row["deviations"] for row in table.rows) else Exit.NOTHING_TO_REPORT


@command.command("effect", epilog=example("adzeguard charter effect QUAY-01 --if-moved-to 'OU=Ticket Kiosks,OU=Hosts'"))
@click.argument("host", shell_complete=names("computer"))
@click.option("--if-moved-to", "container", required=True, metavar="OU", help="Where the host would be.")
@listing_options
@workspace_option
def effect(host: str, container: str, form: str, output: Path | None, folder: Path | None) -> int:
    """Say what HOST would lose and get of the charter's rules in another OU. Nothing is changed.

    Ends with 3 when it would lose or get any.
    """
    from adzeguard.core.estate.names import resolve_host
    from adzeguard.core.estate.places import short_dn
    from adzeguard.core.review.admission import as_if_moved
    from adzeguard.core.views.host_page import host_rules
    from adzeguard.core.views.rule_reach import effect_table
    from adzeguard.workspace.places import container_called

    workspace = opened(folder)
    here = resolve_host(workspace.estate, host)
    place = container_called(workspace, container)
    _, there = as_if_moved(workspace.estate, here, place.dn)
    before, after = (host_rules(workspace.charter, h) for h in (here, there))
    table = effect_table(before, after, here.name, short_dn(workspace.estate, place.dn))
    put_view(table, form, output)
    return Exit.TO_REPORT if any(row["change"] != "keeps" for row in table.rows) else Exit.NOTHING_TO_REPORT


@command.command("schema", epilog=example("adzeguard charter schema --output charter.schema.json"))
@output_option
def schema(output: Path | None) -> int:
    """Print the JSON Schema of a charter file."""
    from adzeguard.core.charter.schema import json_schema
    from adzeguard.core.review.kinds import RULE_KINDS

    put_json(json_schema(RULE_KINDS), output)
    return Exit.NOTHING_TO_REPORT


add_rule_commands(command)
command.add_command(diff)
