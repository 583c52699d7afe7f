"""The list of commands. Nothing but Click is imported until a command runs, so that --help answers at once."""

from importlib import import_module
from typing import Final

import click

from adzeguard import __version__
from adzeguard.cli.groups import CommandGroup

COMMANDS: Final = {
    "init": ("adzeguard.cli.init", "Make a workspace and connect it."),
    "demo": ("adzeguard.cli.demo", "Make the example workspace and walk through it."),
    "collect": ("adzeguard.cli.collect", "Read the directory and the hosts into the store."),
    "status": ("adzeguard.cli.status", "One screen: what stands, what deviates, what was done."),
    "find": ("adzeguard.cli.find", "Find objects by a part of their name."),
    "show": ("adzeguard.cli.show", "Show one object or host in full."),
    "who": ("adzeguard.cli.who", "Who is in a group, or an administrator of a host."),
    "why": ("adzeguard.cli.why", "Why somebody is in a group or on a host."),
    "doors": ("adzeguard.cli.doors", "By which doors people get into hosts."),
    "compare": ("adzeguard.cli.compare", "What differs between two moments."),
    "history": ("adzeguard.cli.history", "Who was put into a group, by whom, and when."),
    "timeline": ("adzeguard.cli.timeline", "Who was inside a group when, drawn."),
    "logons": ("adzeguard.cli.logons", "Where privileged accounts are used, and tried in vain."),
    "trail": ("adzeguard.cli.trail", "Read what the directory has logged itself."),
    "check": ("adzeguard.cli.check", "What deviates from the charter, and what is wrong anyway."),
    "checks": ("adzeguard.cli.checks", "The checks themselves: why each matters, what to do."),
    "propose": ("adzeguard.cli.propose", "What would be changed to put it right."),
    "enact": ("adzeguard.cli.enact", "Make the changes of a proposal."),
    "approve": ("adzeguard.cli.approve", "Say yes to somebody else's proposal, by a signature."),
    "stale": ("adzeguard.cli.stale", "What is stale: groups, accounts, policies, rules and more."),
    "report": ("adzeguard.cli.report", "Papers to hand on: as a table, workbook, page or PDF."),
    "picture": ("adzeguard.cli.picture", "Draw headcounts, ages, hosts, nesting and reach."),
    "metrics": ("adzeguard.cli.metrics", "Figures for monitoring."),
    "review": ("adzeguard.cli.review", "Ask owners who is to be kept, and take out who is not."),
    "retire": ("adzeguard.cli.retire", "Put away, bring back, and delete in the end."),
    "tidy": ("adzeguard.cli.tidy", "Take out the SIDs of what was deleted."),
    "uses": ("adzeguard.cli.uses", "Everything that names a group or an account."),
    "hosts": ("adzeguard.cli.hosts", "The hosts, by what each is reached, and whether it answers."),
    "local": ("adzeguard.cli.local", "One host's own groups and accounts, by hand."),
    "group": ("adzeguard.cli.group", "Change memberships and groups by hand."),
    "lease": ("adzeguard.cli.lease", "Memberships that end."),
    "shift": ("adzeguard.cli.shift", "Memberships that recur by calendar."),
    "questions": ("adzeguard.cli.questions", "What waits for the answer of an owner."),
    "answer": ("adzeguard.cli.answer", "Answer: put it right, or leave it until a date."),
    "waivers": ("adzeguard.cli.waivers", "What is left as it is, until when, by whom and why."),
    "round": ("adzeguard.cli.round", "One pass: collect, end what is over, mend, ask."),
    "watch": ("adzeguard.cli.watch", "Go on making rounds, at once when something changes."),
    "service-files": ("adzeguard.cli.service_files", "Units of systemd for rounds that go on by themselves."),
    "ou": ("adzeguard.cli.ou", "Make, protect, move and delete OUs by hand."),
    "move": ("adzeguard.cli.move", "Put an object into another OU."),
    "admit": ("adzeguard.cli.admit", "Move a waiting host to its place and open it."),
    "intake": ("adzeguard.cli.intake", "Where new users and computers land."),
    "grant": ("adzeguard.cli.grant", "Rights over OUs and groups: give, deny, withdraw, show."),
    "may": ("adzeguard.cli.may", "Whether somebody may do something, and why."),
    "reach": ("adzeguard.cli.reach", "Who is in a group, or could put themselves into it."),
    "undo": ("adzeguard.cli.undo", "Take back what was enacted."),
    "journal": ("adzeguard.cli.journal", "Every change made, by whom and why."),
    "charter": ("adzeguard.cli.charter", "Look over the charter, or print its schema."),
    "standin": ("adzeguard.cli.standin", "Use a stand-in host as a person would."),
    "completion": ("adzeguard.cli.completion", "Complete commands and names in your shell."),
}


SECTIONS: Final = {
    "Begin": ("init", "demo", "collect", "status", "completion"),
    "Look": ("find", "show", "who", "why", "doors", "hosts", "standin"),
    "Decide": ("charter", "check", "checks", "propose", "approve", "enact", "undo"),
    "Change by hand": ("group", "local", "ou", "move", "admit", "intake"),
    "Clean up": ("stale", "uses", "review", "retire", "tidy"),
    "Rights": ("grant", "may", "reach"),
    "Time and owners": (
        "lease",
        "shift",
        "questions",
        "answer",
        "waivers",
        "round",
        "watch",
        "service-files",
        "metrics",
    ),
    "Past": ("report", "picture", "history", "timeline", "logons", "compare", "trail", "journal"),
}
"""The commands as the help lists them."""


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
        command = getattr(import_module(COMMANDS[cmd_name][0]), "command")  # noqa: B009 - a module has no such type
        return command if isinstance(command, click.Command) else None

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:  # noqa: ARG002 - Click's own
        """List the commands without importing them."""
        widest = max(map(len, COMMANDS))
        for title, names in SECTIONS.items():
            with formatter.section(title):
                formatter.write_dl([(name.ljust(widest), COMMANDS[name][1]) for name in names])


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
