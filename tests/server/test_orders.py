"""Everything that is given and taken, in random orders, on a real directory and a real host: all is as before after it.

The judges are the directory's own tools and the files of the host, not what we note ourselves.
"""

import json
import random
from collections.abc import Callable
from datetime import timedelta

import pytest

from tests.linux.sandbox import LinuxHost
from tests.long_tests import SEED, times
from tests.program import Json, Program
from tests.server.server import Server

pytestmark = pytest.mark.server
HOST, WAITING, PLACE = "CONSOLE-12", "QUAY-01", "OU=Ticket Kiosks,OU=Hosts"
PEOPLE = (r"LOWMERE\orla.fenn", r"LOWMERE\roan.pell")
RULES = (
    r"group: 'LOWMERE\Chart Editors', include: ['LOWMERE\roan.pell', 'LOWMERE\hedda.morrow']",
    r"hosts: {named: CONSOLE-12}, local-group: administrators, include: ['LOWMERE\orla.fenn']",
    r"hosts: {named: CONSOLE-12}, refuse-logon: {remote: ['LOWMERE\roan.pell']}",
    r"hosts: {named: CONSOLE-12}, notice: {title: Yours, text: Take care.}",
)
TOLD = r"- {id: told, response: tell, owner: o@lowmere.example, group: 'LOWMERE\Payroll Writers', only: []}"
FILES = (
    "cat /etc/passwd /etc/group /etc/shadow; find /etc/sudoers.d /etc/adzeguard /etc/security /etc/issue.d /etc/motd.d"
    " /etc/ssh/sshd_config.d -type f -exec sha256sum {} + 2> /dev/null | sort"
)
STEPS = 12


class Hand:
    """Somebody who does one thing after the other, as it comes."""

    def __init__(self, program: Program, lot: random.Random) -> None:
        self.program = program
        self.lot = lot
        self.admitted = ""

    def rows(self, *command: str) -> list[Json]:
        """What a list says."""
        rows: list[Json] = self.program(*command, "--format", "json").json
        return rows

    def charter(self, rules: tuple[str, ...]) -> None:
        """Write the rules down, and one that only tells."""
        lines = "".join(f"- {{id: r{RULES.index(rule)}, response: mend, {rule}}}\n" for rule in rules)
        (self.program.folder / "charter/charter.yaml").write_text(f"charter: 1\nrules:\n{TOLD}\n{lines}")

    def enact(self) -> None:
        """Some rules, put right."""
        self.charter(tuple(rule for rule in RULES if self.lot.random() < 0.5))
        self.program("enact", "--yes")

    def withdraw(self) -> None:
        """No rule any more."""
        self.charter(())
        self.program("enact", "--yes")

    def undo(self) -> None:
        """The last enactment taken back."""
        self.program("undo", "--last", "--yes")

    def lease(self) -> None:
        """Somebody in for a time, in the directory or on the host."""
        where = self.lot.choice((("LOWMERE\\Timetable Editors",), ("administrators", "--on", HOST)))
        self.program("lease", "start", self.lot.choice(PEOPLE), *where, "--for", "1h", "--yes")

    def extend(self) -> None:
        """A lease for longer."""
        self._with_a_lease("extend", "--for", "2h")

    def end(self) -> None:
        """A lease over."""
        self._with_a_lease("end", "--yes")

    def _with_a_lease(self, verb: str, *more: str) -> None:
        running = [row["id"] for row in self.rows("lease", "list")]
        if running:
            self.program("lease", verb, self.lot.choice(running), *more)

    def wait(self) -> None:
        """The clock goes on, and a round with it."""
        self.program.ahead += timedelta(minutes=self.lot.choice((5, 70)))
        self.program("round")

    def waive(self) -> None:
        """A finding left as it is."""
        found = self.rows("check", "--rule", "told")
        if found:
            self.program("questions", "leave", found[0]["fingerprint"], "--until", "2d", "--why", "later")

    def answer(self) -> None:
        """A question answered, if one waits."""
        asked = self.rows("questions")
        if asked:
            self.program("questions", "answer", asked[0]["id"], "--leave-until", "2d", "--why", "later")

    def admit(self) -> None:
        """A host to its place, or back from there."""
        if self.admitted:
            self.program("undo", self.admitted, "--yes")
            self.admitted = ""
        elif self.program("hosts", "admit", WAITING, PLACE, "--yes").code in (0, 3):
            self.admitted = next(row["enactment"] for row in reversed(self.rows("journal")) if row["enactment"])

    def leave(self) -> None:
        """Everything given back: rules, leases, waivers, the host that was admitted."""
        if self.admitted:
            self.admit()
        self.withdraw()
        for row in self.rows("lease", "list"):
            self.program("lease", "end", row["id"], "--yes")
        for row in self.rows("questions", "waivers"):
            self.program("questions", "waivers", "end", row["id"])
        self.program("round")


DEEDS: tuple[Callable[[Hand], None], ...] = (
    Hand.enact,
    Hand.withdraw,
    Hand.undo,
    Hand.lease,
    Hand.extend,
    Hand.end,
    Hand.wait,
    Hand.waive,
    Hand.answer,
    Hand.admit,
)


def directory(server: Server) -> set[tuple[str, ...]]:
    """What the directory holds of everybody: names, places, members, controls."""
    asked = ("member", "userAccountControl", "primaryGroupID", "description", "userWorkstations", "sAMAccountName")
    found = server.ask("(objectClass=*)", *asked)
    return {(one["dn"][0], *(f"{key}={','.join(sorted(one.get(key, ())))}" for key in asked)) for one in found}


@pytest.mark.parametrize("order", range(times(40, 1)))
def test_whatever_the_order_all_is_as_before_in_the_end(
    server: Server, workspace: Program, linux_host: LinuxHost, order: int
) -> None:
    """To the last value; and no lease, waiver or put-in of ours is left."""
    linux_host.as_made()
    settings = workspace.folder / "adzeguard.toml"
    text = settings.read_text()
    at = text.index("[hosts]")
    nav = {"kind": "ssh", "named": HOST, "account": "keeper", "key": str(linux_host.key), "port": str(linux_host.port)}
    nav |= {"known_hosts": str(linux_host.known_hosts), "address": "127.0.0.1", "names": "{domain}\\{name}"}
    lines = "".join(f"{key} = {json.dumps(value)}\n" for key, value in nav.items())
    settings.write_text(text[:at] + f"[hosts.nav]\n{lines}\n" + text[at:].replace("[hosts]", "[hosts.others]", 1))
    assert workspace("collect").code in (0, 4)
    hand = Hand(workspace, random.Random(SEED * 100 + order))
    hand.charter(())
    hosts = workspace.folder.parent / "hosts"
    before = directory(server), linux_host.run("sh", "-c", FILES).stdout, (hosts / f"{WAITING}.json").read_text()
    done = [hand.lot.choice(DEEDS) for _ in range(STEPS)]
    for deed in done:
        deed(hand)
    hand.leave()
    after = directory(server), linux_host.run("sh", "-c", FILES).stdout, (hosts / f"{WAITING}.json").read_text()
    said = f"SEED {SEED}, order {order}: {', '.join(deed.__name__ for deed in done)}"
    assert after[0] ^ before[0] == set(), said
    assert after[1] == before[1], said
    assert json.loads(after[2]) == json.loads(before[2]), said
    assert hand.rows("lease", "list") == hand.rows("questions", "waivers") == [], said
    assert workspace("propose", "--format", "json").json["changes"] == [], said
    assert workspace("journal", "verify").code == 0, said
