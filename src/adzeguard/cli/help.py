"""adzeguard help."""

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.main import COMMANDS, by_family
from adzeguard.cli.options import example

_CODES = (
    ("0", "nothing to report"),
    ("1", "failed"),
    ("2", "wrong use"),
    ("3", "findings, or changes to make"),
    ("4", "done in part"),
)


@click.command("help", cls=HeadedCommand, epilog=example("adzeguard help group add"))
@click.argument("words", nargs=-1, metavar="[COMMAND]...")
@click.option("--all", "everything", is_flag=True, help="List all commands.")
@click.pass_context
def command(context: click.Context, words: tuple[str, ...], everything: bool) -> int:
    """Explain COMMAND, such as "group add"; without it, show the usual commands.

    Every command explains itself by --help too.
    """
    at = context.find_root()
    for word in words:
        group = at.command
        if not isinstance(group, click.Group):
            raise click.UsageError(f"'{at.command_path}' has no commands below it", at)
        name, found, _ = group.resolve_command(at, [word])
        if found is not None:
            at = click.Context(found, info_name=name, parent=at)
    click.echo(_all(at) if everything and not words else at.get_help())
    return Exit.NOTHING_TO_REPORT


def _all(context: click.Context) -> str:
    formatter = context.make_formatter()
    width = max(map(len, COMMANDS))
    for family, names in by_family().items():
        with formatter.section(family):
            formatter.write_dl([(name.ljust(width), COMMANDS[name].sentence) for name in names])
    with formatter.section("Exit codes"):
        formatter.write_dl([(code.ljust(width), words) for code, words in _CODES])
    return formatter.getvalue().rstrip("\n")
