"""A Linux host, or the program, ended in the middle of changes: the next run finishes what is half done."""

import json
import random
import subprocess
import sys
import threading
from hashlib import sha256

from tests.linux.nav import charter
from tests.linux.sandbox import LinuxHost
from tests.linux.test_linux_host import ORLA, UPDATE, traces
from tests.long_tests import SEED, times
from tests.program import Program, enacted, killed_after

ENDINGS = times(10, 1)
IN_A_ROW = times(25, 2)
"""How often what goes on with it is killed too, before it may end."""
KIOSKS = """- id: kiosks
  response: mend
  hosts: {under: "OU=Ticket Kiosks,OU=Hosts"}
  notice: {title: Tickets only}
"""


def everything(program: Program, host: LinuxHost) -> None:
    """A charter that sets something of each kind on the host."""
    digest = sha256(host.run("cat", UPDATE).stdout.encode()).hexdigest()
    charter(
        program,
        rf"local-group: administrators{chr(10)}  include: [local\ada, {ORLA}]",
        r"refuse-logon: {console: [local\ben, LOWMERE\Domain Users], remote: [local\navigators]}",
        "notice: {title: Bridge only, text: Ask the bridge.}",
        rf"elevate: {{program: {UPDATE}, sha256: {digest}, for: [local\ben, {ORLA}]}}",
    )
    path = program.folder / "charter/charter.yaml"
    path.write_text(path.read_text() + KIOSKS)


def kiosks(program: Program) -> set[str]:
    """What the stand-in kiosks show; one of them is switched off."""
    files = [json.loads(path.read_text()) for path in (program.folder / "hosts").glob("KIOSK-*.json")]
    return {c.get("notice", {}).get("title", "") for c in files if not c["behaviour"]["offline"]}


def all_of_it(host: LinuxHost) -> tuple[object, ...]:
    """What the host really does: who administers it, who is let, what is shown, what runs elevated."""
    return (
        host.members("sudo"),
        not host.console_login("ben") and host.console_login("ada"),
        not host.remote_login("ben") and host.remote_login("ada"),
        host.banner().startswith("Bridge only"),
        host.runs_elevated("ben", UPDATE) and not host.runs_elevated("ada", UPDATE),
    )


ALL = ({"ada", "cleo", ORLA}, True, True, True, True)
NOTHING = ({"cleo"}, False, False, False, False)


def test_the_program_is_killed_at_random(nav: Program, linux_host: LinuxHost) -> None:
    """Gone on with, all of it stands, nothing twice; then the rules go, killed again, and all is as before."""
    chance = random.Random(SEED)
    for _ in range(ENDINGS):
        for wanted in (ALL, NOTHING):
            everything(nav, linux_host) if wanted is ALL else charter(nav)
            for again in range(IN_A_ROW):
                _killed(nav, ["enact", "--yes", *(["--resume"] if again else [])], chance.uniform(0.6, 3))
            assert nav("enact", "--resume", "--yes").code in (0, 2)  # 2: nothing was begun, or all was ended
            nav("collect")
            enacted(nav)
            assert nav("journal", "verify").code == 0
            assert all_of_it(linux_host) == wanted
            assert (traces(linux_host) == "") == (wanted is NOTHING)
            assert kiosks(nav) == ({"Tickets only"} if wanted is ALL else {""})


def _killed(program: Program, arguments: list[str], after: float) -> None:
    command = [sys.executable, "-m", "adzeguard", *arguments]
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    running = subprocess.Popen(command, cwd=program.folder, env=program.environment, **quiet)
    killed_after(running, after)


def test_the_host_loses_what_it_is_doing_at_random(nav: Program, linux_host: LinuxHost) -> None:
    """Scripts die in the middle of their writing; what was in force stays in force, and the next run puts all right."""
    chance = random.Random(SEED)
    for _ in range(ENDINGS):
        for wanted in (ALL, NOTHING):
            everything(nav, linux_host) if wanted is ALL else charter(nav)
            over = threading.Event()
            killer = threading.Thread(target=_kill_scripts, args=(linux_host, over, chance))
            killer.start()
            nav("enact", "--yes")
            over.set()
            killer.join()
            nav("collect")
            enacted(nav)
            assert all_of_it(linux_host) == wanted
            assert (traces(linux_host) == "") == (wanted is NOTHING)


def _kill_scripts(host: LinuxHost, over: threading.Event, chance: random.Random) -> None:
    while not over.wait(chance.uniform(0.05, 0.4)):
        host.run("pkill", "-9", "-x", "-f", "/bin/sh -s")
