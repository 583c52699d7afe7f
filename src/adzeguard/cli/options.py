"""Options that several commands share."""

from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

import click

F = TypeVar("F", bound=Callable[..., Any])


def workspace_option(function: F) -> F:
    """--workspace: which workspace a command works in."""
    return click.option(
        "--workspace",
        type=click.Path(path_type=Path),
        metavar="DIR",
        help="The workspace; otherwise the nearest one from the current folder upwards.",
    )(function)


def listing_options(function: F) -> F:
    """--format and --output of a listing."""
    with_output = output_option(function)
    return click.option(
        "--format",
        "form",
        type=click.Choice(["table", "json", "csv"]),
        default="table",
        show_default=True,
        help="table for people; json and csv with all keys.",
    )(with_output)


def output_option(function: F) -> F:
    """--output of what can go to a file."""
    return click.option(
        "--output",
        type=click.Path(path_type=Path, dir_okay=False),
        metavar="FILE",
        help="Write to a file that only you can read.",
    )(function)


def example(text: str) -> str:
    """Return the last lines of a help text: an example to paste."""
    return f"Example: {text}"
