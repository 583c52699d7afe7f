"""Tables are as wide as the terminal says, and no wider."""

import os
import pty
import subprocess
import sys
from fcntl import ioctl
from struct import pack
from termios import TIOCSWINSZ

import pytest

from tests.program import Program

COMMANDS = (
    ("check",),
    ("who", r"LOWMERE\Domain Admins"),
    ("who", "--hosts"),
    ("doors", "KIOSK-07"),
    ("grant", "list"),
    ("show", "KIOSK-15"),
    ("hosts", "list"),
    ("status",),
)


def lines_at(program: Program, columns: str, *command: str) -> list[str]:
    """What a command prints where COLUMNS says so."""
    program.environment["COLUMNS"] = columns
    return program(*command).out.splitlines()


@pytest.mark.parametrize("command", COMMANDS, ids=lambda command: command[0])
def test_no_line_is_wider_than_the_terminal(demo: Program, command: tuple[str, ...]) -> None:
    """At 60, 80, 100 and 160 columns; a wider one needs no more lines."""
    counts = []
    for columns in (60, 80, 100, 160):
        lines = lines_at(demo, str(columns), *command)
        assert max(len(line.rstrip()) for line in lines) <= columns, columns
        counts.append(len(lines))
    assert counts == sorted(counts, reverse=True)


def test_what_is_no_width_is_passed_over(demo: Program) -> None:
    """No number, none at all or far too narrow: it is laid out so that it can be read."""
    usual = lines_at(demo, "", "check")
    assert lines_at(demo, "wide", "check") == lines_at(demo, "0", "check") == usual
    assert max(map(len, lines_at(demo, "7", "check"))) <= 60


def test_a_terminal_of_its_own_width_is_filled(demo: Program) -> None:
    """Without COLUMNS the terminal itself is asked."""
    main, other = pty.openpty()
    ioctl(other, TIOCSWINSZ, pack("HHHH", 40, 140, 0, 0))
    command = [sys.executable, "-m", "adzeguard", "check"]
    running = subprocess.Popen(command, cwd=demo.folder, env=demo.environment, stdout=other, stderr=other, stdin=other)
    os.close(other)
    out = b""
    while True:
        try:
            part = os.read(main, 65536)
        except OSError:  # the end of a terminal whose program has ended
            break
        if not part:
            break
        out += part
    running.wait(30)
    os.close(main)
    import re

    lines = re.sub(r"\x1b\[[0-9;]*m", "", out.decode("utf-8", "replace")).splitlines()
    widest = max(len(line.rstrip()) for line in lines)
    assert 100 < widest <= 140
