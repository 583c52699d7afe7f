"""Who logs on to a real member host by a password: the server's tickets tell it, and a limit of the account ends it."""

import time

import pytest

from tests.program import Program
from tests.server.member import HOST, Member, charter
from tests.server.planting import planting
from tests.server.server import PASSWORD, Server

pytestmark = pytest.mark.server
LIMITED, FREE, KEPT = "kept.limited", "kept.free", "kept.elsewhere"


def logs_on(member: Member, name: str) -> bool:
    """Whether somebody logs on at the host by a password, as its login service asks winbind."""
    return member.run("wbinfo", rf"--krb5auth=LOWMERE\{name}%{PASSWORD}").returncode == 0


def lists(server: Server, name: str) -> list[str]:
    """The hosts to which the server limits somebody."""
    found = server.ask(f"(sAMAccountName={name})", "userWorkstations")[0].get("userWorkstations", [""])
    return [host for host in found[0].split(",") if host]


def test_a_logon_is_told_by_its_ticket_and_ended_by_a_limit(server: Server, harbour: Program, member: Member) -> None:
    """The host can refuse nobody: the account loses it from its list, one without a list is told; and it is undone."""
    with planting(server, "Kept away") as place:
        for name, hosts in ((LIMITED, "KIOSK-01,harbour-01"), (FREE, ""), (KEPT, "KIOSK-01")):
            place.person(name)
            if hosts:
                place.replace(name, "userWorkstations", hosts.encode())
        assert [logs_on(member, name) for name in (LIMITED, FREE, KEPT)] == [True, True, False]
        assert harbour("collect").code in (0, 4)
        end = time.monotonic() + 20
        told: set[str] = set()
        while not {LIMITED, FREE} <= told and time.monotonic() < end:
            assert harbour("trail", "import", server.ticket_log).code in (0, 4)
            rows = harbour("logons", "--on", HOST, "--format", "json").json
            told = {row["account"].rpartition("\\")[2] for row in rows if row["way"] == "network"}
        assert {LIMITED, FREE} <= told
        assert KEPT not in told

        names = ", ".join(rf"LOWMERE\{name}" for name in (LIMITED, FREE, KEPT))
        charter(harbour, f"no-privileged-logons: [{names}]")
        enacted = harbour("enact", "--yes")
        assert enacted.code in (0, 4), enacted.err
        assert (lists(server, LIMITED), lists(server, KEPT)) == (["KIOSK-01"], ["KIOSK-01"])
        assert [logs_on(member, name) for name in (LIMITED, FREE, KEPT)] == [False, True, False]
        found = {row["subject"]: row for row in harbour("check", "--rule", "r0", "--format", "json").json}
        assert found.keys() == {rf"LOWMERE\{FREE}"}
        charter(harbour)
        enacted = harbour("enact", "--yes")
        assert enacted.code == 0, enacted.err
        assert lists(server, LIMITED) == ["KIOSK-01", "harbour-01"]
        assert logs_on(member, LIMITED)
