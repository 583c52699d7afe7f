"""The edge of the program: every error becomes one clear line here, and nowhere else."""

import gc
import os
import sys
from contextlib import suppress

import click

from adzeguard.cli.main import commands
from adzeguard.core.errors import AdzeguardError

_STOPPED = 130
_ALLOCATIONS_BETWEEN_SEARCHES = 500_000


def run(arguments: list[str] | None = None) -> int:  # noqa: PLR0911 - one way out for each kind of end
    """Run one command and return its exit code."""
    # Its plugins that are installed beside us would be looked for, and be let see what is read.
    os.environ["PYDANTIC_DISABLE_PLUGINS"] = "__all__"
    os.umask(0o077)  # parents of what is made are made by the system's own rules, and those can be anybody's
    # A command makes a million small values that live to its end: looking for rings among them again and again
    # took a fifth of a check of 20,000 hosts.
    gc.set_threshold(_ALLOCATIONS_BETWEEN_SEARCHES, 50, 100)
    try:
        code = commands.main(arguments, prog_name="adzeguard", standalone_mode=False)
        sys.stdout.flush()
        return code if isinstance(code, int) else 0
    except AdzeguardError as error:
        _say(error.message, error.way_out or _usual_way_out(error, arguments))
        return error.exit_code
    except click.exceptions.Abort:
        _say("stopped", "")
        return _STOPPED
    except click.exceptions.NoArgsIsHelpError as error:
        error.show()
        return error.exit_code
    except click.ClickException as error:
        # Click puts the values of a choice that was left out on lines of their own.
        _say(" ".join(error.format_message().split()), _right_use(error))
        return error.exit_code
    except BrokenPipeError:
        # The reader of a pipe, such as head, has seen enough. Python would complain again at its end.
        _forget_output()
        return 0
    except KeyboardInterrupt:
        _say("stopped", "")
        return _STOPPED
    except RecursionError:
        _say("the input is nested too deeply to be read", "")
        return 1
    except OSError as error:
        # The system's own no, such as a full disk under standard output, says best itself what is wrong.
        _say(f"{error.filename or 'the result'} cannot be written or read: {error.strerror or error}", "")
        _forget_output()
        return 1
    except Exception as error:  # noqa: BLE001 - whatever slips through is kept for its makers, and told in one line
        _say(f"an error in the program ({type(error).__name__}); nothing more was done.", _reported(error))
        return 1


def _usual_way_out(error: AdzeguardError, arguments: list[str] | None) -> str:
    """Return what to do after an error that does not say it itself."""
    words = ["adzeguard"]
    at: click.Command | None = commands
    for word in sys.argv[1:] if arguments is None else arguments:
        at = at.get_command(click.Context(at), word) if isinstance(at, click.Group) else None
        if at is None:
            break
        words.append(word)
    return error.usual_way_out.replace("COMMAND", " ".join(words))


_OPTIONS_INSTEAD = {
    "--host": "On a host: --on HOST",
    "--only": "Single changes: --change ID",
    "--dry-run": "To see the changes first: adzeguard propose",
    "--force": "To make them without being asked: --yes",
}
"""What to write for options that people try and that are none here."""


def _right_use(error: click.ClickException) -> str:
    """Return how the command is written, for who has left something out or written too much."""
    if isinstance(error, click.NoSuchOption) and error.option_name in _OPTIONS_INSTEAD:
        return _OPTIONS_INSTEAD[error.option_name]
    context = error.ctx if isinstance(error, click.UsageError) else None
    if context is None or isinstance(context.command, click.Group):
        return ""
    usage = " ".join(context.get_usage().split()).removeprefix("Usage: ")
    return f"It is written: {usage}. See: {context.command_path} --help"


def _forget_output() -> None:
    """Python would try to write what is left at its end, and complain again."""
    with suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


def _reported(error: Exception) -> str:
    """Keep where it happened in a file of its own, without what was worked on, and return where it is."""
    import tempfile
    import traceback

    from adzeguard import __version__

    try:
        handle, path = tempfile.mkstemp(prefix="adzeguard-report-", suffix=".txt")
        with os.fdopen(handle, "w", encoding="utf-8", errors="backslashreplace") as file:
            frames = traceback.format_tb(error.__traceback__)
            file.write(f"adzeguard {__version__}, Python {sys.version}\n{type(error).__name__}\n{''.join(frames)}")
    except OSError:
        return ""
    return f"Please send its makers {path}"


def _say(message: str, way_out: str) -> None:
    from adzeguard.report.safe import for_terminal

    end = "" if not way_out or message.endswith((".", "?")) else "."
    text = f"adzeguard: {message}{end}{' ' if way_out else ''}{way_out}"
    click.echo(for_terminal(text), err=True)
