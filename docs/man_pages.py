"""The man pages, made from the help: `python docs/man_pages.py DIR` writes them, and so does the build of a wheel."""

import re
import sys
from collections.abc import Iterator
from pathlib import Path

import click

from adzeguard import __version__
from adzeguard.cli.forms import form_of, keys_in_words
from adzeguard.cli.headed import path_of
from adzeguard.cli.main import commands

_ASCII = 127


def pages() -> Iterator[tuple[str, str]]:
    """Yield the name and the text of each page, in the language of man(7)."""

    def below(command: click.Command, context: click.Context) -> Iterator[tuple[str, str]]:
        yield context.command_path.replace(" ", "-"), page_of(command, context)
        if isinstance(command, click.Group):
            for name in command.list_commands(context):
                inner = command.get_command(context, name)
                if inner is not None:
                    yield from below(inner, click.Context(inner, parent=context, info_name=name))

    yield from below(commands, click.Context(commands, info_name="adzeguard"))


def page_of(command: click.Command, context: click.Context) -> str:
    """Return one page: name, synopsis, description, options, commands, and what else there is to see."""
    name = context.command_path.replace(" ", "-")
    paragraphs = [" ".join(part.split()) for part in re.split(r"\n\s*\n", command.help or "") if part.strip()]
    lines = [f'.TH "{_roff(name.upper())}" 1 "" "adzeguard {__version__}" "Adzeguard"']
    lines += [".SH NAME", _roff(f"{name} - {paragraphs[0].rstrip('.') if paragraphs else ''}")]
    usage = " ".join(command.collect_usage_pieces(context))
    lines += [".SH SYNOPSIS", f".B {_roff(context.command_path)}", _roff(usage), ".SH DESCRIPTION"]
    lines += [line for paragraph in paragraphs for line in (".PP", _roff(paragraph))]
    form = form_of(path_of(context))
    lines += [".PP", _roff(keys_in_words(form))] if form is not None else []
    records = [one.get_help_record(context) for one in command.get_params(context) if isinstance(one, click.Option)]
    options = [record for record in records if record is not None]
    lines += [".SH OPTIONS"] if options else []
    lines += [line for names, words in options for line in (".TP", f".B {_roff(names)}", _roff(words))]
    if isinstance(command, click.Group):
        lines.append(".SH COMMANDS")
        for inner in command.list_commands(context):
            of_inner = command.get_command(context, inner)
            if of_inner is not None:
                lines += [".TP", f".BR {_roff(f'{name}-{inner}')} (1)", _roff(of_inner.get_short_help_str(200))]
    if command.epilog and command.epilog.startswith("Example: "):
        lines += [".SH EXAMPLE", ".nf", _roff(command.epilog.removeprefix("Example: ")), ".fi"]
    codes = "0: nothing to report. 1: failed. 2: wrong use. 3: findings, or changes to make. 4: done in part."
    return "\n".join([*lines, ".SH EXIT STATUS", codes, ".SH SEE ALSO", ".BR adzeguard (1)", ""])


def _roff(text: str) -> str:
    """Escape what man(7) acts on: backslashes, dashes of options, and a dot or quote at the beginning of a line."""
    escaped = " ".join(text.split()).replace("\\", "\\e").replace("-", "\\-")
    escaped = "".join(c if ord(c) <= _ASCII else f"\\[u{ord(c):04X}]" for c in escaped)
    return f"\\&{escaped}" if escaped[:1] in (".", "'") else escaped


if __name__ == "__main__":
    folder = Path(sys.argv[1])
    folder.mkdir(parents=True, exist_ok=True)
    for page, text in pages():
        (folder / f"{page}.1").write_text(text, encoding="utf-8")
