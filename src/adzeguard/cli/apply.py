"""adzeguard apply."""

import sys
from pathlib import Path

import click

from adzeguard.cli.desk import Desk
from adzeguard.cli.exits import Exit
from adzeguard.cli.options import example, workspace_option
from adzeguard.cli.output import colour, put, put_listing
from adzeguard.cli.plan import check_rules
from adzeguard.core.errors import PlanFileError, UsageError


@click.command("apply", epilog=example("adzeguard apply monday.json"))
@click.argument("plan_file", required=False, type=click.Path(path_type=Path), metavar="[PLAN]")
@click.option(
    "--also",
    multiple=True,
    metavar="RULE",
    help="Without PLAN: also put right what this rule says, though it only alerts.",
)
@click.option("--yes", is_flag=True, help="Do not ask. Needed where there is no terminal.")
@click.option(
    "--format",
    "form",
    type=click.Choice(["table", "json", "csv"]),
    default="table",
    show_default=True,
    help="How to show the outcome.",
)
@workspace_option
def command(plan_file: Path | None, also: tuple[str, ...], yes: bool, form: str, workspace: Path | None) -> int:
    """Make the changes of PLAN, or of a plan made now.

    Shows the summary and asks first. Each value is read again right before it is changed; what is not as the plan
    expected is left alone as a conflict. Every change is in the journal, is read back, and is told as verified,
    differs, conflict, refused, unreachable, held-back or unsupported. Ends with 4 when some could not be made.

    Keys of json and csv: id, status, target, verb, group, member, rule, detail.
    """
    from adzeguard.core.change.guards import pass_guards
    from adzeguard.core.change.plan import Plan, read_plan
    from adzeguard.report.changes import outcomes_listing, plan_text
    from adzeguard.workflows.apply import Ports, apply_plan
    from adzeguard.workflows.outcome import Status
    from adzeguard.workflows.plan import make_plan
    from adzeguard.workspace.lock import held

    desk = Desk(workspace)
    with held(desk.workspace.lock_path, "apply"):
        charter = desk.charter
        plan: Plan
        if plan_file is not None:
            plan = read_plan(_bytes_of(plan_file), str(plan_file))
        else:
            check_rules(also, {rule.id for rule in charter.charter.rules})
            plan = make_plan(desk.estate, charter, desk.store.latest().id, desk.now(), desk.operator(), also)
        pass_guards(desk.estate, plan.changes, charter.keepers, charter.charter)
        if form == "table" or not yes:
            put(plan_text(plan, colour=colour()))
        if not plan.changes:
            if form != "table":
                put_listing(outcomes_listing([]), form, None)
            return Exit.NOTHING_TO_REPORT
        if not yes:
            _ask(len(plan.changes))
        with desk.directory() as directory:
            ports = Ports(directory, desk.hosts, desk.store, desk.journal, desk.now, desk.operator())
            outcomes = apply_plan(plan, desk.estate, charter, ports, lambda _outcome: None)
    if form == "table":
        put("\n")
    put_listing(outcomes_listing(outcomes), form, None)
    verified = sum(outcome.status == Status.VERIFIED for outcome in outcomes)
    if verified == len(outcomes):
        return Exit.NOTHING_TO_REPORT
    return Exit.DONE_IN_PART if verified else Exit.FAILED


def _bytes_of(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise PlanFileError(
            f"{path} cannot be read: {error.strerror}", "Make one: adzeguard plan --output FILE"
        ) from error


def _ask(count: int) -> None:
    if not sys.stdin.isatty():
        raise UsageError(
            f"nothing was changed: {count} changes wait for a yes, and there is no terminal to ask on",
            "Give --yes",
        )
    if not click.confirm(f"Make {'this change' if count == 1 else f'these {count} changes'}?", default=False):
        raise UsageError("nothing was changed")
