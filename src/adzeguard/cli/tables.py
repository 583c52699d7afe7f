"""Names that a table of the program has: accepted, completed and listed in the help from the table itself."""

from collections.abc import Callable, Iterable
from typing import Any

import click
from click.shell_completion import CompletionItem

from adzeguard.cli.headed import HeadedCommand

Rows = Callable[[], Iterable[tuple[str, str]]]
"""Gives the names with their sentences. The table is imported when it is called, not when the command is made."""


class OneOf(click.ParamType[str]):
    """One of the names of a table."""

    name = "name"

    def __init__(self, rows: Rows) -> None:
        self._rows = rows

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> str:
        """Return the name; any other is answered with all that there are."""
        names = [name for name, _ in self._rows()]
        if value not in names:
            self.fail(f"{value!r} is not one of {', '.join(map(repr, names))}.", param, ctx)
        return str(value)

    def shell_complete(self, ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
        """Complete a name."""
        del ctx, param
        return [CompletionItem(name, help=words) for name, words in self._rows() if name.startswith(incomplete)]


class ListingCommand(HeadedCommand):
    """A command whose help lists a table."""

    def __init__(self, *arguments: Any, heading: str, rows: Rows, **settings: Any) -> None:
        super().__init__(*arguments, **settings)
        self._heading = heading
        self._rows = rows

    def format_options(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """List the table before the options."""
        with formatter.section(self._heading):
            formatter.write_dl(list(self._rows()))
        super().format_options(ctx, formatter)
