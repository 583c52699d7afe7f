"""Leases that the directory ends by itself: over the wire, and where it can do no such thing."""

import json
import time
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from adzeguard.core.identity import fold_dn
from tests.program import Json, Program
from tests.server.conftest import connect
from tests.server.ending_links import EndingLinks
from tests.server.server import Server
from tests.terminal import answered

pytestmark = pytest.mark.server
GROUP = "Lamp Leases"


@pytest.fixture
def links(server: Server, certificates: Path) -> Iterator[EndingLinks]:
    """The real server behind what it lacks, with one group that nobody is in."""
    group = f"CN={GROUP},OU=Groups,{server.base}"
    server.change(f"dn: {group}\nchangetype: add\nobjectClass: group\nsAMAccountName: {GROUP}")
    with EndingLinks(server, certificates) as between:
        yield between
    server.change(f"dn: {group}\nchangetype: delete")


@pytest.fixture
def behind(links: EndingLinks, server: Server, tmp_path: Path) -> Program:
    """The program, connected through it, with nothing to mend."""
    folder = tmp_path / "w"
    (tmp_path / "hosts").mkdir()
    through = {"ldap": links.url, "ca-file": str(links.ca_file), "tls-name": ""}
    made = connect(Program(tmp_path), server, folder, **through)
    assert made.code == 0, made.err
    (folder / "charter/charter.yaml").write_text("charter: 1\nrules: []\n")
    program = Program(folder)
    assert program("collect").code == 0
    return program


def listed(server: Server) -> list[str]:
    """Whom the real server lists in the group."""
    [entry] = server.ask(f"(sAMAccountName={GROUP})", "member")
    return [one.partition(",")[0].removeprefix("CN=") for one in entry.get("member", [])]


def left_of(links: EndingLinks, name: str) -> float:
    """How long the directory still keeps somebody in the group."""
    [end] = [end for (group, who), end in links.ends.items() if fold_dn(f"cn={name}") in who and "lamp" in group]
    return end - time.monotonic()


def lease(program: Program, *arguments: str) -> Json:
    """The one lease that lease list tells."""
    [row] = program("lease", "list", *arguments, "--format", "json").json
    return row


def test_a_server_without_the_feature_says_so_and_rounds_end_leases(server: Server, workspace: Program) -> None:
    """The real server knows no such thing; nothing is switched on there."""
    assert workspace("lease", "support", "--format", "json").json == {
        "known": False,
        "enabled": False,
        "level": 4,
        "needed_level": 0,
    }
    assert "cannot end memberships by itself" in workspace("lease", "support").out
    refused = workspace("lease", "support", "--switch-on")
    assert (refused.code, "cannot end links by itself" in refused.err) == (2, True)


def test_it_is_switched_on_by_whoever_types_the_name_of_the_domain(behind: Program, links: EndingLinks) -> None:
    """Not without a terminal, not with another name, not below its level; once on, undo says that it stays."""
    switch = ("lease", "support", "--switch-on")
    links.level = 4
    refused = behind(*switch)
    assert (refused.code, "of level 4, and it takes 7" in refused.err) == (2, True)
    links.level = 7
    assert "lease support --switch-on" in behind("lease", "support").out
    refused = behind(*switch, typed="lowmere.example\n")
    assert (refused.code, "somebody at a terminal" in refused.err) == (2, True)
    code, said = answered(behind, switch, "The name of the domain: ", "elsewhere.example\n")
    assert (code, "never be switched off" in said, "that is not its name" in said, links.on) == (0, True, True, False)
    assert behind("journal", "--count").out == "0\n"
    code, said = answered(behind, switch, "The name of the domain: ", "Lowmere.Example\n")
    assert (code, links.on) == (0, True), said
    assert behind("lease", "support", "--format", "json").json["enabled"] is True
    back = behind("undo", "--last", "--yes", "--only-propose", "back.json")
    assert back.code == 0
    [left] = json.loads((behind.folder / "back.json").read_text())["left_out"]
    assert left["reason"] == "what a directory can do is switched on for good"
    assert behind(*switch).code == 2


def test_the_directory_ends_a_lease_when_nothing_of_ours_runs(
    behind: Program, links: EndingLinks, server: Server
) -> None:
    """Given with its end, and gone in time; the round that comes later takes nothing out, and is not late."""
    links.on = True
    begun = behind("lease", "start", "roan.pell", GROUP, "--for", "30m", "--yes")
    assert (begun.code, "The directory ends it by itself." in begun.err) == (0, True), begun.err
    assert listed(server) == ["Roan Pell"]
    assert 1700 < left_of(links, "Roan Pell") <= 1801
    assert lease(behind)["by_itself"] is True
    links.end_all()
    behind.ahead = timedelta(hours=1)
    assert listed(server) == []
    before = behind("journal", "--format", "json").json
    done = behind("round", "--format", "json")
    assert (done.code, done.json["leases_ended"]) == (0, ["L1"])
    ended = lease(behind, "--all")
    assert (ended["state"], ended["late_seconds"]) == ("ended", 0)
    made = [row["what"] for row in behind("journal", "--format", "json").json if row not in before]
    assert not any("remove" in one for one in made)
    assert "roan.pell" not in {m["name"] for m in behind("who", GROUP, "--format", "json").json}


def test_where_the_directory_does_not_end_it_a_round_does(behind: Program, links: EndingLinks, server: Server) -> None:
    """The round is the second line: a link that still stands when its lease is over is taken out."""
    links.on, links.keeps_time = True, False
    assert behind("lease", "start", "roan.pell", GROUP, "--for", "30m", "--yes").code == 0
    behind.ahead = timedelta(hours=1)
    assert listed(server) == ["Roan Pell"]
    assert behind("round", "--format", "json").json["leases_ended"] == ["L1"]
    assert listed(server) == []


def test_the_end_moves_with_the_leases(behind: Program, links: EndingLinks, server: Server) -> None:
    """Extended, shortened by a second lease's end, and never shorter than the longest; what stood before gets none."""
    links.on = True
    assert behind("lease", "start", "roan.pell", GROUP, "--for", "1h", "--yes").code == 0
    assert 3500 < left_of(links, "Roan Pell") <= 3601
    asked = behind("lease", "extend", "L1", "--for", "2h")
    assert (asked.code, "Give --yes" in asked.err) == (2, True)
    assert left_of(links, "Roan Pell") <= 3601
    assert behind("lease", "extend", "L1", "--for", "2h", "--yes").code == 0
    assert 7100 < left_of(links, "Roan Pell") <= 7201
    assert behind("lease", "start", "roan.pell", GROUP, "--for", "30m", "--yes").code == 0
    assert left_of(links, "Roan Pell") > 7000
    assert behind("lease", "start", "roan.pell", GROUP, "--for", "3h", "--yes").code == 0
    assert 10_700 < left_of(links, "Roan Pell") <= 10_801
    assert behind("lease", "end", "L3", "--yes").code == 0
    assert 7000 < left_of(links, "Roan Pell") <= 7201
    assert listed(server) == ["Roan Pell"]
    server.change(
        f"dn: CN={GROUP},OU=Groups,{server.base}\nchangetype: modify\nadd: member\n"
        f"member: {server.ask('(sAMAccountName=mira.holt)', 'dn')[0]['dn'][0]}"
    )
    behind("collect")
    assert behind("lease", "start", "mira.holt", GROUP, "--for", "1h", "--yes").code == 2
    assert len(links.ends) == 1
    for one in ("L1", "L2"):
        assert behind("lease", "end", one, "--yes").code == 0
    assert (listed(server), links.ends) == (["Mira Holt"], {})


def test_the_directory_says_when_what_two_collections_saw(behind: Program, links: EndingLinks, server: Server) -> None:
    """To the second, where it keeps that; not asked, and from a server that keeps nothing, between the two."""
    group = f"CN={GROUP},OU=Groups,{server.base}"
    [dn] = server.ask("(sAMAccountName=roan.pell)", "dn")[0]["dn"]
    server.change(f"dn: {group}\nchangetype: modify\nadd: member\nmember: {dn}")
    behind("collect")
    [before] = behind("history", GROUP, "--format", "json").json
    assert (before["source"], before["verb"]) == ("collections", "added")
    assert behind("history", GROUP, "--ask-directory", "--format", "json").json == [before]
    at = datetime.fromisoformat(before["happened_at"]) - timedelta(seconds=1)
    piece = (
        "<DS_REPL_VALUE_META_DATA><pszAttributeName>{}</pszAttributeName><pszObjectDn>" + dn + "</pszObjectDn>"
        "<ftimeDeleted>1601-01-01T00:00:00Z</ftimeDeleted><ftimeLastOriginatingChange>{:%Y-%m-%dT%H:%M:%SZ}"
        "</ftimeLastOriginatingChange></DS_REPL_VALUE_META_DATA>"
    )
    years_ago = at - timedelta(days=900)
    links.kept[fold_dn(group)] = [piece.format("managedBy", years_ago).encode(), piece.format("member", at).encode()]
    [exact] = behind("history", GROUP, "--ask-directory", "--format", "json").json
    assert exact["source"] == "directory"
    assert datetime.fromisoformat(exact["happened_at"]) == at.replace(microsecond=0)
    links.kept[fold_dn(group)] = [piece.format("member", years_ago).encode()]
    assert behind("history", GROUP, "--ask-directory", "--format", "json").json == [before]


def test_a_shift_is_given_with_its_end(behind: Program, links: EndingLinks, server: Server) -> None:
    """What a round begins ends by itself too, at the end of the stretch; a contract moves the end of a lease there."""
    links.on = True
    now = datetime.now(UTC)
    # Of this very day, also in its first hour: what would have begun yesterday was not noted then.
    begun = max(now - timedelta(hours=1), now.replace(hour=0, minute=0))
    hours = ("--from", f"{begun:%H:%M}", "--to", f"{now + timedelta(hours=3):%H:%M}")
    assert behind("shift", "start", "roan.pell", GROUP, "--zone", "UTC", *hours).code == 0
    assert behind("round", "--format", "json").json["leases_begun"] == ["L1"]
    assert 2 * 3600 < left_of(links, "Roan Pell") <= 3 * 3600 + 1
    assert lease(behind)["by_itself"] is True
    assert behind("lease", "end", "L1", "--yes").code == 0
    [person] = server.ask("(sAMAccountName=roan.pell)", "dn")[0]["dn"]
    with (behind.folder / "adzeguard.toml").open("a") as settings:
        settings.write('\n[leases]\ncontract_attribute = "employeeType"\n')
    server.change(f"dn: {person}\nchangetype: modify\nreplace: employeeType\nemployeeType: 2099-12-31")
    assert behind("lease", "start", "roan.pell", GROUP, "--with-contract", "--yes").code == 0
    sooner = datetime.now(UTC) + timedelta(hours=5)
    server.change(f"dn: {person}\nchangetype: modify\nreplace: employeeType\nemployeeType: {sooner:%Y%m%d%H%M%S}.0Z")
    assert behind("round", "--format", "json").code == 0
    assert 4 * 3600 < left_of(links, "Roan Pell") <= 5 * 3600 + 1
    assert behind("lease", "end", "L2", "--yes").code == 0
    server.change(f"dn: {person}\nchangetype: modify\ndelete: employeeType")
