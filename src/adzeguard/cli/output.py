"""Puts what was rendered on the terminal, into a pipe, or into a file."""

import os
import sys
import tempfile
from pathlib import Path
from typing import Any

import click

from adzeguard.core.errors import UsageError
from adzeguard.report.listing import Format, Listing, render


def colour() -> bool:
    """Tell whether what goes to standard output may be coloured: only on a terminal, and never against NO_COLOR."""
    return sys.stdout.isatty() and not os.environ.get("NO_COLOR") and os.environ.get("TERM") != "dumb"


def put(text: str, output: Path | None = None) -> None:
    """Write text to standard output, or whole to a file of mode 0600."""
    if output is None:
        click.echo(text, nl=False, color=colour())
        return
    try:
        handle, temporary = tempfile.mkstemp(prefix=f".{output.name}.", dir=output.parent)
        with os.fdopen(handle, "w", encoding="utf-8", errors="backslashreplace") as file:
            file.write(text)
        Path(temporary).replace(output)
    except OSError as error:
        raise UsageError(f"{output} cannot be written: {error.strerror}", "Choose another file") from error
    say(f"Written to {output}")


def put_listing(listing: Listing, form: str, output: Path | None) -> None:
    """Render a listing and put it where it was asked for."""
    chosen: Format = "json" if form == "json" else "csv" if form == "csv" else "table"
    put(render(listing, chosen, colour=output is None and colour()), output)


def put_json(data: Any, output: Path | None) -> None:
    """Put plain values as JSON."""
    import json

    put(json.dumps(data, indent=2, ensure_ascii=False, default=str) + "\n", output)


def say(text: str) -> None:
    """Say something besides the result, on standard error."""
    from adzeguard.report.safe import for_terminal

    click.echo(for_terminal(text), err=True)
