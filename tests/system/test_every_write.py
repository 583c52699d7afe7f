"""Ended at every single write: what the next command finds is gone on with, and undone it is as it was."""

import gc
import os
import re
import shutil
import sqlite3
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import timedelta
from errno import ENOSPC
from pathlib import Path
from typing import Any

import pytest

from adzeguard.cli.edge import run
from adzeguard.directory.ldif_file import LdifFile
from adzeguard.hosts.standin import StandinSession
from adzeguard.store.journal_head import JournalHead
from adzeguard.store.sqlite import SqliteDatabase
from tests.long_tests import part_of
from tests.program import clock_ahead
from tests.system.test_made_again import entries

KILLED = 137
DONE_IN_PART = 4
HOST_RULE = (
    "charter: 1\nrules:\n  - {id: kiosks, hosts: {named: [KIOSK-01, KIOSK-02]}, response: mend, "
    "local-group: remote-desktop-users, include: ['LOWMERE\\orla.fenn']}\n"
)
COMMANDS = {
    "members": ["group", "add", "First Aiders", "orla.fenn", "yorick.tarn"],
    "create": ["group", "create", "Tide Watch", "--in", "OU=Groups", "--member", "orla.fenn"],
    "delete": ["group", "delete", "Paint Project"],
    "set": ["group", "set", "First Aiders", "--description", "Bandages", "--mail", "aid@lowmere.example"],
    "move": ["move", "First Aiders", "OU=Quay"],
    "rights": ["grant", "give", "Crew Rota", "user-details", "--over", "OU=Quay"],
    "OU with content": ["ou", "delete", "OU=Slip,OU=Quay", "--with-content", "--deletions", "3"],
    "hosts": ["enact"],
}
BEFORE = {
    "OU with content": (
        ["ou", "create", "Slip", "--in", "OU=Quay", "--unprotected"],
        ["group", "create", "Slip Crew", "--in", "OU=Slip,OU=Quay", "--member", "orla.fenn"],
        ["group", "create", "Slip Watch", "--in", "OU=Slip,OU=Quay", "--member", "Slip Crew"],
    )
}
Ending = Callable[[], None]


class Writes:
    """Counts every write of the program, to disk and to the store, before and after it; ends it at one of them."""

    def __init__(self, at: int, ending: Ending) -> None:
        self.count = 0
        self._at = at
        self._ending = ending

    def __call__(self) -> None:
        self.count += 1
        if self.count == self._at:
            self._ending()

    def around(self, kind: type, name: str) -> None:
        """Count the calls of a method that writes."""
        original = getattr(kind, name)

        def counted(*arguments: object, **named: object) -> object:
            self()
            result = original(*arguments, **named)
            self()
            return result

        setattr(kind, name, counted)

    def in_the_store(self) -> None:
        """Count what is written to the store: before it is kept whole, and after."""
        original = SqliteDatabase.writing

        @contextmanager
        def counted(database: SqliteDatabase) -> Iterator[Any]:
            with original(database) as connection:
                yield connection
                self()
            self()

        SqliteDatabase.writing = counted


def killed() -> None:
    """As kill -9 does: nothing is tidied up."""
    os._exit(KILLED)


def disk_full() -> None:
    """As the system says it once."""
    raise OSError(ENOSPC, os.strerror(ENOSPC))


def command(
    folder: Path, arguments: list[str], at: int = 0, ending: Ending = killed, ahead: timedelta = timedelta()
) -> tuple[int, int, str]:
    """Run the program in a process of its own; return its exit code, how many writes it came to, and what it said."""
    said = folder.parent / "said"
    reading, writing = os.pipe()
    gc.freeze()  # else the child copies every page that its own search for rings touches
    child = os.fork()
    if child == 0:
        os.close(reading)
        code = 99
        try:
            os.chdir(folder)
            out = os.open(said, os.O_WRONLY | os.O_CREAT | os.O_TRUNC)
            os.dup2(out, 1)
            os.dup2(out, 2)
            sys.stdout, sys.stderr = open(1, "w", closefd=False), open(2, "w", closefd=False)  # noqa: SIM115
            sys.stdin = Path(os.devnull).open()  # noqa: SIM115
            writes = Writes(at, ending)
            writes.in_the_store()
            for kind, name in ((LdifFile, "_write"), (StandinSession, "_write"), (JournalHead, "note")):
                writes.around(kind, name)
            with clock_ahead(lambda: ahead):
                code = run(arguments)
            os.write(writing, str(writes.count).encode())
        finally:
            sys.stdout.flush()
            sys.stderr.flush()
            os._exit(code)
    gc.unfreeze()
    os.close(writing)
    with os.fdopen(reading, "rb") as pipe:
        counted = pipe.read()
    _, status = os.waitpid(child, 0)
    return os.waitstatus_to_exitcode(status), int(counted or 0), said.read_text()


@contextmanager
def copied(folder: Path, tmp_path: Path) -> Iterator[Path]:
    """A copy of a workspace that goes away again."""
    copy = Path(shutil.copytree(folder, tmp_path / "copy"))
    yield copy
    shutil.rmtree(copy)


def points(writes: int) -> list[int]:
    """Every write in a long run, otherwise two of them."""
    return part_of(range(1, writes + 1), 2)


def hosts(folder: Path) -> dict[str, str]:
    """The files of all hosts."""
    return {path.name: path.read_text() for path in sorted((folder / "hosts").glob("*.json"))}


@pytest.mark.parametrize("ending", [killed, disk_full], ids=lambda ending: ending.__name__)
@pytest.mark.parametrize("kind", part_of(list(COMMANDS), 4))
def test_ended_at_every_write_nothing_is_lost_or_done_twice(
    demo_as_made: Path, tmp_path: Path, kind: str, ending: Ending
) -> None:
    """Gone on with, it ends as without the interruption; the store agrees with the directory, and undo leads back."""
    start = Path(shutil.copytree(demo_as_made, tmp_path / "start"))
    (start / "charter/charter.yaml").write_text(HOST_RULE if kind == "hosts" else "charter: 1\nrules: []\n")
    wanted = [*COMMANDS[kind], "--yes"]
    for command_before in BEFORE.get(kind, ()):
        assert command(start, [*command_before, "--yes"])[0] == 0
    earlier = len(_journal(start))
    before = entries(start / "lowmere.ldif"), hosts(start)
    with copied(start, tmp_path) as folder:
        code, writes, said = command(folder, wanted)
        assert code == 0, said
        after = entries(folder / "lowmere.ldif"), hosts(folder)
    assert writes > 8
    seen = set()
    for at in points(writes):
        with copied(start, tmp_path) as folder:
            code, _, said = command(folder, wanted, at, ending)
            assert "should not happen" not in said, (at, said)
            assert code == KILLED if ending is killed else code in (0, 1, 4), (at, code, said)
            in_part = code == DONE_IN_PART
            begun = len(_journal(folder)) > earlier
            code, _, said = command(folder, ["enact", "--resume", "--yes"])
            asked = re.search(r"Give --deletions (\d+)", said)
            if asked:  # what is gone on with passes the guards again
                code, _, said = command(folder, ["enact", "--resume", "--yes", "--deletions", asked[1]])
            assert code in (0, 2), (at, said)  # 2: there is nothing to go on with
            state = entries(folder / "lowmere.ldif"), hosts(folder)
            if in_part and state not in (before, after):  # one host was told as not reached, and is left to the next
                assert command(folder, wanted)[0] == 0, at
                state = entries(folder / "lowmere.ldif"), hosts(folder)
            assert state in (before, after), at
            seen.add(state == after)
            code, _, said = command(folder, ["collect", "--full"])
            assert "Changed since the last time: 0 objects, 0 groups, 0 hosts." in said, (at, said)
            assert command(folder, ["journal", "verify"])[0] == 0, at
            if begun:
                taken_back = ["--since", "1h"] if in_part else ["--last"]
                code, _, said = command(folder, ["undo", *taken_back, "--yes"])
                assert code in (0, 2), (at, said)
            assert (entries(folder / "lowmere.ldif"), hosts(folder)) == before, at
            code, _, said = command(folder, ["collect", "--full"])
            assert "Changed since the last time: 0 objects, 0 groups, 0 hosts." in said, (at, said)
    assert True in seen


def _journal(folder: Path) -> list[tuple[int]]:
    store = sqlite3.connect(folder / ".adzeguard/store.db")
    try:
        return store.execute("SELECT seq FROM journal").fetchall()
    finally:
        store.close()
