"""Puts what was rendered on the terminal, into a pipe, or into a file."""

import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from adzeguard.core.errors import UsageError

if TYPE_CHECKING:
    from collections.abc import Iterable

    from adzeguard.core.views.page import View

FILTERING = "adzeguard.narrowing"
"""Under what the context of a command keeps which part of its listing is wanted."""

_NARROWEST = 60
_WIDEST = 400


def colour() -> bool:
    """Tell whether what goes to standard output may be coloured: only on a terminal, and never against NO_COLOR."""
    return sys.stdout.isatty() and not os.environ.get("NO_COLOR") and os.environ.get("TERM") != "dumb"


def width() -> int:
    """Return how wide the terminal is: as COLUMNS says, or as it is; 0 where it is none.

    Narrower than is readable is laid out as if it were wider, and so is what claims to have no width at all.
    """
    said = os.environ.get("COLUMNS", "")
    if said.isascii() and said.isdecimal() and int(said):
        return min(max(int(said), _NARROWEST), _WIDEST)
    try:
        columns = os.get_terminal_size(sys.stdout.fileno()).columns if sys.stdout.isatty() else 0
    except (OSError, ValueError):  # some terminals do not tell
        return 0
    return min(max(columns, _NARROWEST), _WIDEST) if columns else 0


def put(text: str | bytes, output: Path | None = None) -> None:
    """Write text to standard output, or whole to a file of mode 0600."""
    if output is None:
        click.echo(text.decode("utf-8", "replace") if isinstance(text, bytes) else text, nl=False, color=colour())
        return
    from adzeguard.private_files import write_result

    try:
        write_result(output, text if isinstance(text, bytes) else text.encode("utf-8", "backslashreplace"))
    except OSError as error:
        raise UsageError(f"{output} cannot be written: {error.strerror}", "Choose another file") from error
    say(f"Written to {output}")


def put_lines(lines: "Iterable[str]", output: Path | None = None) -> None:
    """Put lines as they are, however long, without what could steer a terminal."""
    from adzeguard.report.safe import for_terminal

    put("".join(f"{for_terminal(line)}\n" for line in lines), output)


def put_view(view: "View", form: str, output: Path | None = None) -> None:
    """Render a view, or the part of it that was asked for, and put it where that was asked for."""
    from adzeguard.core.views.table import Table
    from adzeguard.report.renderers import render

    context = click.get_current_context(silent=True)
    narrowing = context.meta.get(FILTERING) if context is not None else None
    if narrowing is not None and isinstance(view, Table) and not narrowing.is_nothing:
        part: Table = narrowing.of(view)
        if narrowing.count:
            put(f"{len(part.rows)}\n", output)
            return
        if narrowing.quiet and not part.rows:
            return
        view = part
    if output is None:
        put(render(view, form, colour=colour(), width=width()))
    else:
        put(render(view, form), output)


def put_json(data: Any, output: Path | None) -> None:
    """Put plain values as JSON."""
    from adzeguard.core.views.page import Page

    put_view(Page(data, (), verbatim=True), "json", output)


def say(text: str) -> None:
    """Say something besides the result, on standard error."""
    from adzeguard.report.safe import for_terminal

    click.echo(for_terminal(text), err=True)
