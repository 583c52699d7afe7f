"""adzeguard demo."""

import os
import shlex
import shutil
import sys
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.options import example
from adzeguard.cli.output import colour, put


@click.command("demo", cls=HeadedCommand, epilog=example("adzeguard demo lowmere-demo"))
@click.argument("folder", type=click.Path(path_type=Path), default="lowmere-demo", metavar="[DIR]")
@click.option("--only-make", is_flag=True, help="Make the workspace and stop there.")
@click.option("--people", type=click.IntRange(20), default=180, show_default=True, help="How many people.")
@click.option("--hosts", type=click.IntRange(64), default=64, show_default=True, help="How many hosts.")
def command(folder: Path, only_make: bool, people: int, hosts: int) -> int:
    """Make the workspace of a made-up ferry line in DIR, and walk through the whole example.

    Lowmere Ferries has two harbours, 180 people, 64 hosts, and quite a few things that are not as they should be.
    """
    from adzeguard.demo.scenario import lowmere
    from adzeguard.demo.workspace import make_demo

    make_demo(folder, lowmere(people, hosts), datetime.now(UTC))
    put(f"Made the workspace {folder}: lowmere.ldif is the directory, hosts/ the hosts, charter/ the rules.\n")
    if only_make:
        return Exit.NOTHING_TO_REPORT
    return _walk(folder)


def _walk(folder: Path) -> int:
    """Run each step as if it had been typed in the workspace."""
    from adzeguard.demo.story import AFTERWARDS, STEPS

    back = Path.cwd()
    os.chdir(folder)
    try:
        for number, step in enumerate(STEPS, 1):
            title = f"{number}. {step.why}"
            typed = "$ adzeguard " + shlex.join(step.command)
            put(f"\n{_styled(title, bold=True)}\n{_styled(typed, fg='magenta')}\n")
            if _step(step.command, step.shown) in (Exit.FAILED, Exit.WRONG_USE):
                return Exit.FAILED
    finally:
        os.chdir(back)
    lines = [*_path_line(), f"cd {shlex.quote(str(folder))}", *AFTERWARDS]
    put("\nNow try it yourself:\n" + "".join(f"  {line}\n" for line in lines))
    return Exit.NOTHING_TO_REPORT


def _path_line() -> list[str]:
    """Return the line after which the shell finds the program, for who has only a checkout and its environment."""
    here = Path(sys.executable).parent
    if shutil.which("adzeguard") is not None or not (here / "adzeguard").exists():
        return []
    return [f'export PATH={shlex.quote(str(here))}:"$PATH"']


def _styled(text: str, **style: Any) -> str:
    return click.style(text, **style) if colour() else text


def _step(arguments: tuple[str, ...], shown: int) -> int:
    """Run one command of our own and show the first lines of what it says."""
    import contextlib
    import io

    from adzeguard.cli.edge import run

    out = io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(out):
        code = run(list(arguments))
    lines = out.getvalue().splitlines()
    put("".join(f"{line}\n" for line in lines[:shown]))
    if len(lines) > shown:
        put(f"… {len(lines) - shown} more lines\n")
    return code
