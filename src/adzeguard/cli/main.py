"""The list of commands. Nothing but Click is imported until a command runs, so that --help answers at once."""

from dataclasses import dataclass
from importlib import import_module
from typing import Final

import click

from adzeguard import __version__
from adzeguard.cli.groups import CommandGroup


@dataclass(frozen=True, slots=True)
class Row:
    """One command: its module, the family under which the help lists it, and its sentence there."""

    module: str
    family: str
    sentence: str


COMMANDS: Final = {
    "init": Row("adzeguard.cli.init", "Begin", "Make a workspace and connect it."),
    "demo": Row("adzeguard.cli.demo", "Begin", "Make the example workspace and walk through it."),
    "collect": Row("adzeguard.cli.collect", "Begin", "Read the directory and the hosts into the store."),
    "status": Row("adzeguard.cli.status", "Begin", "One screen: what stands, what deviates, what was done."),
    "completion": Row("adzeguard.cli.completion", "Begin", "Complete commands and names in your shell."),
    "find": Row("adzeguard.cli.find", "Look", "Find objects by a part of their name."),
    "show": Row("adzeguard.cli.show", "Look", "Show one object or host in full."),
    "who": Row("adzeguard.cli.who", "Look", "Who is in a group, or an administrator of a host."),
    "why": Row("adzeguard.cli.why", "Look", "Why somebody is in a group or on a host."),
    "doors": Row("adzeguard.cli.doors", "Look", "By which doors people get into hosts."),
    "hosts": Row("adzeguard.cli.hosts", "Look", "The hosts, by what each is reached, and whether it answers."),
    "standin": Row("adzeguard.cli.standin", "Look", "Use a stand-in host as a person would."),
    "charter": Row("adzeguard.cli.charter", "Decide", "Look over the charter, or print its schema."),
    "check": Row("adzeguard.cli.check", "Decide", "What deviates from the charter, and what is wrong anyway."),
    "checks": Row("adzeguard.cli.checks", "Decide", "The checks themselves: why each matters, what to do."),
    "propose": Row("adzeguard.cli.propose", "Decide", "What would be changed to put it right."),
    "approve": Row("adzeguard.cli.approve", "Decide", "Say yes to somebody else's proposal, by a signature."),
    "enact": Row("adzeguard.cli.enact", "Decide", "Make the changes of a proposal."),
    "undo": Row("adzeguard.cli.undo", "Decide", "Take back what was enacted."),
    "group": Row("adzeguard.cli.group", "Change by hand", "Change memberships and groups by hand."),
    "local": Row("adzeguard.cli.local", "Change by hand", "One host's own groups and accounts, by hand."),
    "ou": Row("adzeguard.cli.ou", "Change by hand", "Make, protect, move and delete OUs by hand."),
    "move": Row("adzeguard.cli.move", "Change by hand", "Put an object into another OU."),
    "admit": Row("adzeguard.cli.admit", "Change by hand", "Move a waiting host to its place and open it."),
    "intake": Row("adzeguard.cli.intake", "Change by hand", "Where new users and computers land."),
    "stale": Row("adzeguard.cli.stale", "Clean up", "What is stale: groups, accounts, policies, rules and more."),
    "uses": Row("adzeguard.cli.uses", "Clean up", "Everything that names a group or an account."),
    "review": Row("adzeguard.cli.review", "Clean up", "Ask owners who is to be kept, and take out who is not."),
    "retire": Row("adzeguard.cli.retire", "Clean up", "Put away, bring back, and delete in the end."),
    "tidy": Row("adzeguard.cli.tidy", "Clean up", "Take out the SIDs of what was deleted."),
    "grant": Row("adzeguard.cli.grant", "Rights", "Rights over OUs and groups: give, deny, withdraw, show."),
    "may": Row("adzeguard.cli.may", "Rights", "Whether somebody may do something, and why."),
    "reach": Row("adzeguard.cli.reach", "Rights", "Who is in a group, or could put themselves into it."),
    "lease": Row("adzeguard.cli.lease", "Time and owners", "Memberships that end."),
    "shift": Row("adzeguard.cli.shift", "Time and owners", "Memberships that recur by calendar."),
    "questions": Row("adzeguard.cli.questions", "Time and owners", "What waits for the answer of an owner."),
    "answer": Row("adzeguard.cli.answer", "Time and owners", "Answer: put it right, or leave it until a date."),
    "waivers": Row("adzeguard.cli.waivers", "Time and owners", "What is left as it is, until when, by whom and why."),
    "round": Row("adzeguard.cli.round", "Time and owners", "One pass: collect, end what is over, mend, ask."),
    "watch": Row("adzeguard.cli.watch", "Time and owners", "Go on making rounds, at once when something changes."),
    "service-files": Row(
        "adzeguard.cli.service_files", "Time and owners", "Units of systemd for rounds that go on by themselves."
    ),
    "metrics": Row("adzeguard.cli.metrics", "Time and owners", "Figures for monitoring."),
    "report": Row("adzeguard.cli.report", "Past", "Papers to hand on: as a table, workbook, page or PDF."),
    "picture": Row("adzeguard.cli.picture", "Past", "Draw headcounts, ages, hosts, nesting and reach."),
    "history": Row("adzeguard.cli.history", "Past", "Who was put into a group, by whom, and when."),
    "timeline": Row("adzeguard.cli.timeline", "Past", "Who was inside a group when, drawn."),
    "logons": Row("adzeguard.cli.logons", "Past", "Where privileged accounts are used, and tried in vain."),
    "compare": Row("adzeguard.cli.compare", "Past", "What differs between two moments."),
    "trail": Row("adzeguard.cli.trail", "Past", "Read what the directory has logged itself."),
    "journal": Row("adzeguard.cli.journal", "Past", "Every change made, by whom and why."),
}
"""In the order in which people meet them. A further command is a file beside this, and a row here."""


INSTEAD: Final = {
    "members": "adzeguard who GROUP",
    "admins": "adzeguard who --hosts",
    "list": "adzeguard find",
    "search": "adzeguard find TEXT",
    "user": "adzeguard show USER",
    "users": "adzeguard find --kind user",
    "groups": "adzeguard who --groups",
    "computers": "adzeguard find --kind computer",
    "host": "adzeguard show HOST",
    "add": "adzeguard group add GROUP MEMBER, or: adzeguard local add HOST GROUP MEMBER",
    "remove": "adzeguard group remove GROUP MEMBER, or: adzeguard local remove HOST GROUP MEMBER",
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
    "schedule": "adzeguard shift add",
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

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:  # noqa: ARG002 - Click's own
        """List the commands without importing them."""
        widest = max(map(len, COMMANDS))
        families: dict[str, list[tuple[str, str]]] = {}
        for name, row in COMMANDS.items():
            families.setdefault(row.family, []).append((name.ljust(widest), row.sentence))
        for family, rows in families.items():
            with formatter.section(family):
                formatter.write_dl(rows)


@click.group(
    cls=Commands,
    instead=INSTEAD,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100},
    epilog="Begin with: adzeguard demo",
)
@click.version_option(__version__, "--version", prog_name="adzeguard", message="%(prog)s %(version)s")
def commands() -> None:
    """Who is privileged here, who should be, and putting it right.

    Exit codes: 0 nothing to report, 1 failed, 2 wrong use, 3 findings or changes to make, 4 done in part.
    """
