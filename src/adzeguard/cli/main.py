"""The list of commands. Nothing but Click is imported until a command runs, so that --help answers at once."""

from importlib import import_module
from pathlib import Path
from typing import Final

import click

from adzeguard import __version__
from adzeguard.cli.groups import WORKSPACE, CommandGroup
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Row:
    """One command: its module, the family under which the help lists it, and its sentence there."""

    module: str
    family: str
    sentence: str


COMMANDS: Final = {
    "init": Row("adzeguard.cli.init", "Begin", "Connect a directory and make a workspace."),
    "demo": Row("adzeguard.cli.demo", "Begin", "Make the example workspace."),
    "collect": Row("adzeguard.cli.collect", "Begin", "Read the directory and the hosts."),
    "status": Row("adzeguard.cli.status", "Begin", "Show how things stand and what is next."),
    "settings": Row("adzeguard.cli.settings", "Begin", "List settings, try connections, set up completion."),
    "help": Row("adzeguard.cli.help", "Begin", "Explain a command, or list all of them."),
    "find": Row("adzeguard.cli.find", "Look", "Find objects by a part of their name."),
    "show": Row("adzeguard.cli.show", "Look", "Show one object or host in full."),
    "who": Row("adzeguard.cli.who", "Look", "List members of a group, or who runs a host."),
    "why": Row("adzeguard.cli.why", "Look", "Explain how an account gets in."),
    "doors": Row("adzeguard.cli.doors", "Look", "List the doors into hosts."),
    "hosts": Row("adzeguard.cli.hosts", "Look", "List hosts, test the way to them, admit new ones."),
    "charter": Row("adzeguard.cli.charter", "Decide", "Write rules; lint and compare the charter."),
    "check": Row("adzeguard.cli.check", "Decide", "Find deviations and weaknesses."),
    "propose": Row("adzeguard.cli.propose", "Decide", "Propose the changes that put things right."),
    "approve": Row("adzeguard.cli.approve", "Decide", "Approve another person's proposal."),
    "enact": Row("adzeguard.cli.enact", "Decide", "Make the changes of a proposal."),
    "undo": Row("adzeguard.cli.undo", "Decide", "Take back what was enacted."),
    "group": Row("adzeguard.cli.group", "By hand", "Change groups and memberships."),
    "account": Row("adzeguard.cli.account", "By hand", "Disable, enable and expire accounts."),
    "ou": Row("adzeguard.cli.ou", "By hand", "Create, protect and delete OUs; set intake."),
    "move": Row("adzeguard.cli.move", "By hand", "Move an object into another OU."),
    "stale": Row("adzeguard.cli.stale", "Clean up", "List what is stale and can go."),
    "uses": Row("adzeguard.cli.uses", "Clean up", "List everything that names an object."),
    "review": Row("adzeguard.cli.review", "Clean up", "Ask owners which members stay."),
    "retire": Row("adzeguard.cli.retire", "Clean up", "Retire objects, restore them, remove dead SIDs."),
    "grant": Row("adzeguard.cli.grant", "Rights", "Give, deny, withdraw and list rights."),
    "may": Row("adzeguard.cli.may", "Rights", "Answer whether an account may do something."),
    "trusts": Row("adzeguard.cli.trusts", "Rights", "List trusts, and who of other domains is here."),
    "reach": Row("adzeguard.cli.reach", "Rights", "List who could put themselves into a group."),
    "lease": Row("adzeguard.cli.lease", "Time and owners", "Give memberships that end."),
    "shift": Row("adzeguard.cli.shift", "Time and owners", "Give memberships that recur by calendar."),
    "questions": Row("adzeguard.cli.questions", "Time and owners", "List and answer questions; list waivers."),
    "round": Row("adzeguard.cli.round", "Time and owners", "Collect, end, mend and ask: once, or until stopped."),
    "history": Row("adzeguard.cli.history", "Past", "List membership changes: who, when, by whom."),
    "logons": Row("adzeguard.cli.logons", "Past", "List logons of privileged accounts."),
    "compare": Row("adzeguard.cli.compare", "Past", "Compare two moments."),
    "trail": Row("adzeguard.cli.trail", "Past", "Import the directory's own log."),
    "journal": Row("adzeguard.cli.journal", "Past", "List every change made, by whom and why."),
    "report": Row("adzeguard.cli.report", "Papers and machines", "Write reports: table, workbook, page or PDF."),
    "picture": Row("adzeguard.cli.picture", "Papers and machines", "Draw headcounts, ages, nesting and reach."),
    "metrics": Row("adzeguard.cli.metrics", "Papers and machines", "Print figures for monitoring."),
    "schema": Row("adzeguard.cli.schema", "Papers and machines", "Print the schema of a command's output."),
    "service-files": Row("adzeguard.cli.service_files", "Papers and machines", "Write systemd units for rounds."),
}
"""In the order in which people meet them. A further command is a file beside this, and a row here."""
USUAL: Final = ("demo", "status", "who", "why", "check", "propose", "enact")
"""The commands that the short help explains; of the others it has the names."""


INSTEAD: Final = {
    "checks": "adzeguard check --list, or: adzeguard check --explain CHECK",
    "timeline": "adzeguard history GROUP --drawn",
    "watch": "adzeguard round watch",
    "standin": "adzeguard hosts standin",
    "admit": "adzeguard hosts admit HOST OU",
    "tidy": "adzeguard retire tidy",
    "completion": "adzeguard settings completion SHELL",
    "answer": "adzeguard questions answer QUESTION --mend, or --leave-until DATE",
    "waivers": "adzeguard questions waivers",
    "intake": "adzeguard ou intake",
    "local": "adzeguard group add GROUP MEMBER --on HOST, or: adzeguard account disable NAME --on HOST",
    "delegate": "adzeguard grant give WHO DUTY --over OBJECT",
    "disable": "adzeguard account disable NAME",
    "enable": "adzeguard account enable NAME",
    "expire": "adzeguard account expire NAME --until TIME",
    "allow": "adzeguard charter allow FINDING, or: adzeguard questions leave FINDING --until DATE --why TEXT",
    "mail": "adzeguard questions try, once adzeguard.toml has [tell.mail]",
    "tell": "adzeguard questions try, once adzeguard.toml has [tell.mail] or [tell.webhook]",
    "config": "adzeguard settings",
    "test": "adzeguard settings check, or: adzeguard hosts test HOST",
    "rule": "adzeguard charter add GROUP --include NAME, or edit charter/charter.yaml",
    "version": "adzeguard --version",
    "members": "adzeguard who GROUP",
    "admins": "adzeguard who --hosts",
    "list": "adzeguard find",
    "search": "adzeguard find TEXT",
    "user": "adzeguard show USER",
    "users": "adzeguard find --kind user",
    "groups": "adzeguard who --groups",
    "computers": "adzeguard find --kind computer",
    "host": "adzeguard show HOST",
    "add": "adzeguard group add GROUP MEMBER; on a host: --on HOST",
    "remove": "adzeguard group remove GROUP MEMBER; on a host: --on HOST",
    "delete": "adzeguard retire NAME",
    "rights": "adzeguard grant list",
    "permissions": "adzeguard grant list",
    "rules": "adzeguard report charter",
    "audit": "adzeguard check",
    "verify": "adzeguard check",
    "differences": "adzeguard compare",
    "log": "adzeguard journal, or: adzeguard history GROUP",
    "events": "adzeguard history GROUP",
    "export": "adzeguard report NAME --format xlsx",
    "schedule": "adzeguard shift start",
    # What three of the commands were called in the first version.
    "plan": "adzeguard propose",
    "apply": "adzeguard enact",
    "can": "adzeguard may",
}
"""Which line does what a word says that people try first and that is no command here."""


class Commands(CommandGroup):
    """A group that imports a command when it is run."""

    def list_commands(self, ctx: click.Context) -> list[str]:  # noqa: ARG002 - Click's own signature
        """Return the commands in the order in which people meet them."""
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:  # noqa: ARG002 - Click's own
        """Import one command."""
        if cmd_name not in COMMANDS:
            return None
        command = getattr(import_module(COMMANDS[cmd_name].module), "command")  # noqa: B009 - a module has no such type
        return command if isinstance(command, click.Command) else None

    def format_options(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """Leave out the two options that every program has: the whole help fits on one screen."""
        self.format_commands(ctx, formatter)

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:  # noqa: ARG002 - Click's own
        """List the usual commands, and the names of all by family, without importing them."""
        with formatter.section("Most used"):
            formatter.write_dl([(name, COMMANDS[name].sentence) for name in USUAL])
        formatter.write_paragraph()
        formatter.write_dl([(family, " ".join(names)) for family, names in by_family().items()])


def by_family() -> dict[str, list[str]]:
    """Return the names of the commands of each family."""
    families: dict[str, list[str]] = {}
    for name, row in COMMANDS.items():
        families.setdefault(row.family, []).append(name)
    return families


@click.group(
    cls=Commands,
    instead=INSTEAD,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100},
    invoke_without_command=True,
    epilog="More: adzeguard help COMMAND, adzeguard help --all",
)
@click.option("--workspace", "folder", type=click.Path(path_type=Path), metavar="DIR", hidden=True)
@click.version_option(__version__, "--version", prog_name="adzeguard", message="%(prog)s %(version)s")
@click.pass_context
def commands(ctx: click.Context, folder: Path | None) -> int | None:
    """Show who is privileged, decide who should be, and put it right."""
    if folder is not None:
        ctx.meta[WORKSPACE] = folder
    if ctx.invoked_subcommand is not None:
        return None
    from adzeguard.cli.alone import alone

    return alone(ctx, folder)
