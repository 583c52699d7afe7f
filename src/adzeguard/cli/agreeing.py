"""Asking for a yes before something is written."""

import sys

import click

from adzeguard.core.errors import DeclinedError, UsageError


def agree(question: str, waits: str) -> None:
    """Ask, and return after a yes. `waits` is what has not been done if there is no terminal to ask on."""
    if not sys.stdin.isatty():
        raise UsageError(f"{waits} for a yes, and there is no terminal to ask on", "Give --yes")
    if not click.confirm(question, default=False):
        raise DeclinedError("nothing was done")
