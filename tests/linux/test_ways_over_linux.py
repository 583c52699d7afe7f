"""Who has what somebody left on a real Linux host: twelve who administer it by its files, and twelve who come near."""

from collections.abc import Iterable, Iterator

import pytest

from tests.linux.nav import NAV, charter
from tests.linux.sandbox import LinuxHost
from tests.program import Program, enacted

GROUP, ADMIN = r"LOWMERE\Domain Admins", r"LOWMERE\tobin.asker.adm"
CREW = "birger.hale"
"""Somebody of the group Galley Crew, in the directory and on the host."""
BY_LINE = {
    "alva.asker": "{} ALL=(ALL) ALL",
    "alva.ingram": "User_Alias DECK = {}\nDECK ALL=(root) ALL",
    "alva.lune": "{} nav-01=(ALL:ALL) NOPASSWD: ALL",
    "alva.wick": "{} ALL=(root) /bin/bash",
    "anouk.ambry": "#21004 ALL=(ALL) ALL",
    "anouk.holt": "%pilots ALL=(ALL) ALL",
    "anouk.lorne": "%#3001 ALL=(ALL) ALL",
    "anouk.sool": "Runas_Alias BRIDGE = root, cleo\n{} ALL=(BRIDGE) ALL",
    "birger.ostrey": "{} ALL=(root) /usr/bin/su",
    CREW: "%LOWMERE\\\\galley\\ crew ALL=(ALL) ALL",
}
BY_GROUP = ("birger.dunmore", "bram.asker")
"""In the group sudo, and in another group of the same number."""
LET = (*BY_LINE, *BY_GROUP)
NEAR_BY_LINE = {
    "bram.elm": "{} ALL=(root) /opt/charts/update",
    "bram.holt": "{} ALL=(cleo) ALL",
    "bram.sool": "{} elsewhere=(ALL) ALL",
    "cato.ambry": "{} ALL=(ALL) ALL\n{} ALL=(ALL) !ALL",
    "cato.holt": "{} ALL=(root) sudoedit /etc/motd",
    "cato.lorne": "cato.lorne ALL=(ALL) ALL",
    "cato.ostrey": "# {} ALL=(ALL) ALL",
    "corin.hale": "{} ALL, !nav-01=(ALL) ALL",
    "corin.kvist": "Runas_Alias ELSE = cleo\n{} ALL=(ELSE) ALL",
    "corin.orrin": "%stewards elsewhere=(ALL) ALL",
}
NEAR = (*NEAR_BY_LINE, "corin.varn", "dagny.drake")
"""The last two are in groups that administer nothing."""
PEOPLE = (*LET, *NEAR)
FILE = "/etc/sudoers.d/ways"


def written(name: str) -> str:
    """A person of the directory as a line of sudo names them."""
    return rf"LOWMERE\\{name}"


EXTRA = "/var/lib/extrausers"
FILES = (f"{EXTRA}/passwd", f"{EXTRA}/group", f"{EXTRA}/shadow", "/etc/group")


def appended(host: LinuxHost, path: str, lines: Iterable[str]) -> None:
    """Put lines at the end of a file."""
    assert host.run("sh", "-c", f"cat >> {path}", given="".join(f"{line}\n" for line in lines)).returncode == 0


@pytest.fixture
def planted(nav: Program, linux_host: LinuxHost) -> Iterator[Program]:
    """The people on the host with what they have there, and an administrator of the domain who works on it."""
    host = linux_host
    kept = {path: host.run("cat", path).stdout for path in FILES}
    sudo = host.run("getent", "group", "sudo").stdout.split(":")[2]
    numbers = {rf"LOWMERE\{name}": 21000 + n for n, name in enumerate(PEOPLE)} | {ADMIN: 21900}
    groups = {
        "pilots:x:3000": "anouk.holt",
        "divers:x:3001": "anouk.lorne",
        f"helpers:x:{sudo}": "bram.asker",
        "stewards:x:3002": r"corin.orrin,LOWMERE\corin.varn",
        "wardens:x:3003": "dagny.drake",
    }
    try:
        host.run(
            "sh",
            "-c",
            f"sed -i '/galley crew/d' {EXTRA}/group; sed -i 's/^sudo:.*/&,LOWMERE\\\\birger.dunmore/' /etc/group",
        )
        appended(host, f"{EXTRA}/passwd", (f"{n}:x:{i}:20000:x:/tmp:/bin/sh" for n, i in numbers.items()))
        appended(host, f"{EXTRA}/shadow", (f"{name}:*:19000:0:99999:7:::" for name in numbers))
        appended(host, f"{EXTRA}/group", [rf"LOWMERE\galley crew:x:20003:LOWMERE\{CREW}"])
        appended(host, "/etc/group", (rf"{group}:LOWMERE\{inside}" for group, inside in groups.items()))
        appended(host, FILE, (line.replace("{}", written(name)) for name, line in (BY_LINE | NEAR_BY_LINE).items()))
        checked = host.run("sh", "-c", f"chmod 0440 {FILE}; visudo -c")
        assert checked.returncode == 0, checked.stdout + checked.stderr
        working = f"setsid runuser -u '{ADMIN}' -- sleep 600 > /dev/null 2>&1 < /dev/null & echo $!"
        assert host.run("sh", "-c", working).returncode == 0
        assert nav("collect").code == 4
        yield nav
    finally:
        host.run("pkill", "-f", "sleep 600")
        host.run("rm", "-f", FILE)
        for path, text in kept.items():
            host.run("sh", "-c", f"cat > {path}", given=text)


def told(program: Program) -> dict[str, str]:
    """By name who has a way over the host, and how."""
    rows = program("reach", GROUP, "--over-hosts", "--format", "json").json
    return {row["name"]: row["sentence"] for row in rows if row["name"] in (*PEOPLE, "Galley Crew")}


def runs_as_root(host: LinuxHost) -> set[str]:
    """Who of the people may run a shell as root, as sudo itself says."""
    shells = ("/bin/bash", "/usr/bin/su")
    asked = {
        name: [host.run("sudo", "-n", "-l", "-U", rf"LOWMERE\{name}", shell) for shell in shells] for name in PEOPLE
    }
    return {name for name, answers in asked.items() if any(one.returncode == 0 for one in answers)}


def test_who_gets_at_a_linux_host_and_who_does_not(planted: Program, linux_host: LinuxHost) -> None:
    """Each of twelve by the right words, as sudo says it, none of twelve who come near; and gone with their entries."""
    found = told(planted)
    assert runs_as_root(linux_host) == set(LET)
    assert found.keys() == {*LET, "Galley Crew"} - {CREW}
    for name, sentence in found.items():
        assert sentence.startswith(
            rf"LOWMERE\{name} administers LOWMERE\{NAV}, which saw {ADMIN} log on in a session"
        ), name
        assert sentence.endswith(rf"which is a member of {GROUP}")
    # Lines of sudo, and groups of the same number, are ended where they stand.
    linux_host.run("sh", "-c", f"rm {FILE}; sed -i '/^helpers:/d' /etc/group")
    charter(planted, "local-group: administrators\n  only: [local\\administrator, local\\cleo, local\\keeper]")
    planted("collect")
    enacted(planted)
    assert runs_as_root(linux_host) == set()
    assert told(planted) == {}


def test_a_logon_that_left_a_ticket_and_one_that_is_refused(planted: Program, linux_host: LinuxHost) -> None:
    """What closes the host for all of them is that the administrator logs on there no more, as PAM and sshd say."""
    assert (linux_host.remote_login(ADMIN), linux_host.console_login(ADMIN)) == (True, True)
    charter(planted, f"no-privileged-logons: '{ADMIN}'")
    enacted(planted)
    assert (linux_host.remote_login(ADMIN), linux_host.console_login(ADMIN)) == (False, False)
    assert {"(refused by now)" in sentence for sentence in told(planted).values()} == {True}
    linux_host.run("pkill", "-f", "sleep 600")
    planted("collect")
    assert told(planted) == {}
    charter(planted)
    enacted(planted)
