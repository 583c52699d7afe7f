"""From a change behind our back on the real server to the mail to the owner."""

import json
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from statistics import median

from tests.certificates import made_certificate
from tests.mail_server import MailServer
from tests.program import Program
from tests.server.conftest import connect
from tests.server.scenario_load import operations
from tests.server.server import Server, missing

from adzeguard.demo.scenario import lowmere
from bench.measure import Measured

_TURNS = 5
_CHARTER = r"""charter: 1
rules:
  - {id: keys, owner: lanterns@lowmere.example, group: 'LOWMERE\First Aiders', exclude: ['LOWMERE\elof.kell']}
"""


def run() -> Iterator[Measured]:
    """Let the program watch, put somebody in by a plain client, and wait for the mail."""
    why_not = missing()
    if why_not:
        print(f"the way to the owner's mail is left out: {why_not}")
        return
    with tempfile.TemporaryDirectory() as temporary:
        folder = Path(temporary)
        server = Server(folder / "server")
        (folder / "server").mkdir()
        server.provision()
        server.load(operations(lowmere()))
        server.start()
        mail = MailServer(made_certificate(folder))
        mail.start()
        try:
            yield Measured("from a change to the owner's mail", "S", _measured(server, mail, folder), "s", 15)
        finally:
            mail.stop()
            server.stop()


def _measured(server: Server, mail: MailServer, folder: Path) -> float:
    (folder / "hosts").mkdir()
    made = connect(Program(folder), server, folder / "w")
    if made.code:
        raise RuntimeError(made.err)
    program = Program(folder / "w")
    (program.folder / "charter/charter.yaml").write_text(_CHARTER)
    with (program.folder / "adzeguard.toml").open("a") as settings:
        settings.write(mail.settings(program.folder))
        settings.write(f'\n[trail]\nlogs = ["{server.audit_log}"]\n')
    program("collect")
    lengths = []
    with _watching(program) as rounds:
        for turn in range(_TURNS):
            before = len(mail.mails)
            begun = time.perf_counter()
            _change(server, "add")
            while len(mail.mails) == before:
                if time.perf_counter() - begun > 60:
                    raise RuntimeError("no mail came")
                time.sleep(0.05)
            lengths.append(time.perf_counter() - begun)
            _next(rounds)
            _change(server, "delete")
            while _next(rounds)["settled"] == []:
                pass
            print(f"  turn {turn + 1}: {lengths[-1]:.1f} s")
    return median(lengths)


def _change(server: Server, how: str) -> None:
    group = server.ask("(sAMAccountName=First Aiders)", "distinguishedName")[0]["distinguishedName"][0]
    member = server.ask("(sAMAccountName=elof.kell)", "distinguishedName")[0]["distinguishedName"][0]
    server.change(f"dn: {group}\nchangetype: modify\n{how}: member\nmember: {member}")


@contextmanager
def _watching(program: Program) -> Iterator[subprocess.Popen[str]]:
    command = [sys.executable, "-m", "adzeguard", "round", "watch"]
    running = subprocess.Popen(
        command,
        cwd=program.folder,
        env=program.environment,
        text=True,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        stdin=subprocess.DEVNULL,
    )
    try:
        _next(running)
        time.sleep(3)  # until the connection for changes is open
        yield running
    finally:
        running.terminate()
        running.communicate()


def _next(running: subprocess.Popen[str]) -> dict:
    if running.stdout is None:
        raise RuntimeError("nothing is watched")
    line: dict = json.loads(running.stdout.readline())
    return line
