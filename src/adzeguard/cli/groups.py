"""Commands that have commands below them, and what they say to a word that is none of these."""

from collections.abc import Collection, Mapping
from typing import Any, Final, NoReturn

import click

from adzeguard.cli.headed import HeadedCommand, write_keys

_FEW: Final = 12
WORKSPACE: Final = "adzeguard.workspace"
"""Under which the context of a command has the workspace that was named before the command."""


class CommandGroup(click.Group):
    """Says which commands there are when it is given a word that is none, and which line does what the word says.

    `instead` names that line for words that people try here and that are done by another command. `alone` is the
    command that is meant where none is named, such as the one that lists.
    """

    command_class = HeadedCommand

    def __init__(
        self, *arguments: Any, instead: Mapping[str, str] | None = None, alone: str = "", **settings: Any
    ) -> None:
        super().__init__(*arguments, **settings)
        self.instead = dict(instead or {})
        self.alone = alone

    def format_help_text(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """Write the help, and the keys of a group that prints something itself."""
        super().format_help_text(ctx, formatter)
        write_keys(ctx, formatter)

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        """Put the command in where none is named: `adzeguard hosts --count` is `adzeguard hosts list --count`."""
        is_named = bool(args) and (not args[0].startswith("-") or args[0] in ctx.help_option_names)
        return super().parse_args(ctx, args if is_named or not self.alone else [self.alone, *args])

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        """Say what an unknown word may have meant."""
        names = self.list_commands(ctx)
        if args and args[0] not in names and not args[0].startswith("-"):
            self.refuse(ctx, args, names)
        return super().resolve_command(ctx, args)

    def refuse(self, ctx: click.Context, args: list[str], names: list[str]) -> NoReturn:
        """Fail with the nearest thing that there is."""
        below = " ".join([*ctx.command_path.split()[1:], args[0]])
        ctx.fail(f"There is no command '{below}'. {meant(args[0], names, self.instead)}")


def meant(word: str, names: Collection[str], instead: Mapping[str, str]) -> str:
    """Return what a word that is no command may have meant."""
    if line := instead.get(word.casefold()):
        return f"For that: {line}"
    from adzeguard.core.wording import nearest

    if near := nearest(word.casefold(), names, 0.6):
        return f"Did you mean {near}?"
    return f"There are: {', '.join(sorted(names))}" if len(names) <= _FEW else "See: adzeguard --help"
