"""The edge of the program: every error becomes one clear line here, and nowhere else."""

import gc
import os
import sys

import click

from adzeguard.cli.main import commands
from adzeguard.core.errors import AdzeguardError

_STOPPED = 130
_ALLOCATIONS_BETWEEN_SEARCHES = 100_000


def run(arguments: list[str] | None = None) -> int:  # noqa: PLR0911 - one way out for each kind of end
    """Run one command and return its exit code."""
    # A command makes a million small values that live to its end: looking for rings among them again and again
    # took a fifth of a check of 20,000 hosts.
    gc.set_threshold(_ALLOCATIONS_BETWEEN_SEARCHES, 50, 100)
    try:
        code = commands.main(arguments, prog_name="adzeguard", standalone_mode=False)
        sys.stdout.flush()
        return code if isinstance(code, int) else 0
    except AdzeguardError as error:
        _say(
            f"{error.message}{'.' if error.way_out and not error.message.endswith('.') else ''}",
            error.way_out,
        )
        return error.exit_code
    except click.exceptions.Abort:
        _say("stopped", "")
        return _STOPPED
    except click.ClickException as error:
        error.show()
        return error.exit_code
    except BrokenPipeError:
        # The reader of a pipe, such as head, has seen enough. Python would complain again at its end.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except KeyboardInterrupt:
        _say("stopped", "")
        return _STOPPED
    except RecursionError:
        _say("the input is nested too deeply to be read", "")
        return 1


def _say(message: str, way_out: str) -> None:
    from adzeguard.report.safe import for_terminal

    text = f"adzeguard: {message}{' ' if way_out else ''}{way_out}"
    click.echo(for_terminal(text), err=True)
