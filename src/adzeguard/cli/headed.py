"""Commands whose options stand under headings in the help: their own first, then those that many commands share."""

import re
from typing import Final

import click

_GUARDS: Final = (
    "--yes",
    "--removals",
    "--touching",
    "--deletions",
    "--new-reach",
    "--lookalikes",
    "--vanished",
    "--only-propose",
    "--without-approval",
)
_LISTING: Final = ("--format", "--output", "--columns", "--sort", "--where", "--count", "--limit", "--quiet")
_COMMON: Final = ("--workspace", "--help")
_HEADINGS: Final = (("Guards", _GUARDS), ("Listing", _LISTING), ("Common", _COMMON))
_OWN: Final = "Options"
_ANY_NUMBER: Final = re.compile(r"\s*\[(default: \d+; )?x>=[01]\]$")
"""What Click says of a number of which only none, or one, is the least."""


class HeadedCommand(click.Command):
    """A command whose options stand under headings."""

    def format_help_text(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """Write the help, and the keys of what the command prints for programs."""
        super().format_help_text(ctx, formatter)
        write_keys(ctx, formatter)

    def format_options(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """Write each heading that has options."""
        rows: dict[str, list[tuple[str, str]]] = {heading: [] for heading in (_OWN, *(name for name, _ in _HEADINGS))}
        for parameter in self.get_params(ctx):
            record = parameter.get_help_record(ctx) if isinstance(parameter, click.Option) else None
            if record is not None:
                names, words = record
                rows[_heading_of(parameter)].append((names, _ANY_NUMBER.sub("", words)))
        for heading, of_heading in rows.items():
            if of_heading:
                with formatter.section(heading):
                    formatter.write_dl(of_heading)


def write_keys(ctx: click.Context, formatter: click.HelpFormatter) -> None:
    """Write which keys the command prints for programs, if it prints any."""
    from adzeguard.cli.forms import form_of, keys_in_words

    form = form_of(path_of(ctx))
    if form is not None:
        formatter.write_paragraph()
        with formatter.indentation():
            formatter.write_text(keys_in_words(form))


def path_of(ctx: click.Context) -> str:
    """Return what a command is called after the program's name, such as "group add"."""
    names = []
    at: click.Context | None = ctx
    while at is not None and at.parent is not None:
        names.append(str(at.info_name))
        at = at.parent
    return " ".join(reversed(names))


def _heading_of(parameter: click.Parameter) -> str:
    return next((name for name, of in _HEADINGS if not set(of).isdisjoint(parameter.opts)), _OWN)
