"""Saying no when asked, on a terminal: nothing is done, and nothing is wrong."""

import os
import pty
import select
import sys
from contextlib import suppress

import pytest

from tests.program import Program
from tests.terminal import answered


@pytest.mark.parametrize(("answer", "inside"), [("n\n", False), ("\n", False), ("y\n", True)])
def test_a_no_ends_well(demo: Program, answer: str, inside: bool) -> None:
    """With 0, the words "nothing was done", and a journal that is empty; a yes is enacted."""
    asked = ("group", "add", r"LOWMERE\First Aiders", "elof.kell")
    code, said = answered(demo, asked, "Make this change?", answer)
    assert (code, "nothing was done" in said) == (0, not inside)
    assert (demo("journal", "--count").out == "0\n") is not inside
    assert ("elof.kell" in {m["name"] for m in demo("who", "First Aiders", "--format", "json").json}) is inside


def test_no_progress_erases_the_question_for_a_password(demo: Program) -> None:
    """On a terminal the question stands until it is answered: nothing goes back to the beginning of its line."""
    (demo.folder / "ca.pem").write_text("")
    (demo.folder / "adzeguard.toml").write_text(
        '[directory]\nkind = "ldap"\nurl = "ldaps://127.0.0.1:9"\nbind_as = "LOWMERE\\\\reader"\nca_file = "ca.pem"\n'
    )
    pid, terminal = pty.fork()
    if pid == 0:
        os.chdir(demo.folder)
        command = [sys.executable, "-m", "adzeguard", "collect"]
        os.execve(command[0], command, {**demo.environment, "TERM": "xterm"})  # noqa: S606 - a terminal of its own, and no shell
    shown = b""
    while b"reader at ldaps://127.0.0.1:9: " not in shown:
        shown += os.read(terminal, 4096)
    shown = b""
    # Bars are drawn ten times a second: what would erase the question comes within the second.
    while select.select([terminal], [], [], 1.0)[0]:
        shown += os.read(terminal, 4096)
    assert shown == b""
    os.write(terminal, b"secret\n")
    with suppress(OSError):  # the end of a terminal whose program has ended
        while part := os.read(terminal, 4096):
            shown += part
    os.waitpid(pid, 0)
    os.close(terminal)
    assert b"secret" not in shown
