"""A terminal of its own for the program, and somebody who types there."""

import os
import pty
import sys

from tests.program import Program


def answered(program: Program, arguments: tuple[str, ...], question: str, answer: str) -> tuple[int, str]:
    """Run the program on a terminal, answer its question, and return its exit code with all that it showed."""
    command = [sys.executable, "-m", "adzeguard", *arguments]
    child, terminal = pty.fork()
    if child == 0:
        os.chdir(program.folder)
        os.execve(command[0], command, program.environment)  # noqa: S606 - a terminal of its own, and no shell
    said = b""
    while question.encode() not in said:
        said += os.read(terminal, 4096)
    os.write(terminal, answer.encode())
    try:
        while more := os.read(terminal, 4096):
            said += more
    except OSError:  # the other end is closed
        pass
    os.close(terminal)
    return os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]), said.decode("utf-8", "replace")
