"""adzeguard apply."""

from pathlib import Path

import click

from adzeguard.cli.applying import apply_and_show
from adzeguard.cli.desk import Desk
from adzeguard.cli.options import Answers, applying_options, example, workspace_option
from adzeguard.cli.plan import check_rules
from adzeguard.core.change.plan import Plan
from adzeguard.core.errors import PlanFileError


@click.command("apply", epilog=example("adzeguard apply monday.json"))
@click.argument("plan_file", required=False, type=click.Path(path_type=Path), metavar="[PLAN]")
@click.option(
    "--also",
    multiple=True,
    metavar="RULE",
    help="Without PLAN: also put right what this rule says, though it only alerts.",
)
@applying_options
@workspace_option
def command(plan_file: Path | None, also: tuple[str, ...], answers: Answers, workspace: Path | None) -> int:
    """Make the changes of PLAN, or of a plan made now.

    Shows the summary and asks first. Each value is read again right before it is changed; what is not as the plan
    expected is left alone as a conflict. Every change is in the journal, is read back, and is told as verified,
    differs, conflict, refused, unreachable, held-back or unsupported. Ends with 4 when some could not be made.

    An apply that was interrupted is gone on with first, where it was.

    Keys of json and csv: id, status, target, verb, group, member, object, rule, detail.
    """
    from adzeguard.core.change.plan import read_plan

    desk = Desk(workspace)

    def plan() -> Plan:
        if plan_file is not None:
            return read_plan(_bytes_of(plan_file), str(plan_file))
        check_rules(also, {rule.id for rule in desk.charter.charter.rules})
        return desk.make_plan(also)

    return apply_and_show(desk, plan, answers)


def _bytes_of(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise PlanFileError(
            f"{path} cannot be read: {error.strerror}", "Make one: adzeguard plan --output FILE"
        ) from error
