"""A large proposal in parts: some hosts first, and an end when too many fail."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.change.kinds.set_notice import SetNotice
from adzeguard.core.change.part import Part
from tests.program import Program

EVERYWHERE = """charter: 1
rules:
- id: notices
  response: mend
  hosts: {everywhere: true}
  notice: {title: Ferry company property}
"""


@pytest.fixture
def notices(demo: Program) -> Program:
    """The demo, in which all 62 hosts that answer are to show a notice."""
    (demo.folder / "charter/charter.yaml").write_text(EVERYWHERE)
    return demo


def showing(program: Program) -> set[str]:
    """The hosts that show it."""
    files = {path.stem: json.loads(path.read_text()) for path in (program.folder / "hosts").glob("*.json")}
    return {
        name for name, content in files.items() if content.get("notice", {}).get("title") == "Ferry company property"
    }


def behave(program: Program, *names: str, **behaviour: object) -> None:
    """Let hosts be switched off, refuse whoever connects, and the like; as usual where nothing is said."""
    for name in names:
        path = program.folder / f"hosts/{name}.json"
        content = json.loads(path.read_text())
        path.write_text(json.dumps(content | {"behaviour": behaviour}))


def pending(program: Program) -> list[dict]:
    """What is left for hosts that did not answer."""
    return list(program("hosts", "pending", "--format", "json").json)


def test_some_hosts_come_first_and_the_others_after_them(notices: Program) -> None:
    """The first by name, so many of a hundred, or those of a pattern; what is done is not done again."""
    first = notices("enact", "--first", "3", "--yes")
    assert "On 3 of 62 hosts; 59 changes are left for another time" in first.err
    assert showing(notices) == {"CONSOLE-01", "CONSOLE-02", "CONSOLE-03"}
    assert notices("enact", "--first", "2", "--yes").code == 0
    assert showing(notices) == {f"CONSOLE-{n:02}" for n in range(1, 6)}
    assert notices("enact", "--on", "laptop-0*", "--on", "QUAY-*", "--percent", "50", "--yes").code == 0
    assert showing(notices) - {f"CONSOLE-{n:02}" for n in range(1, 6)} == {f"LAPTOP-0{n}" for n in (1, 2, 3, 4, 6)}
    assert notices("enact", "--yes").code == 0
    assert len(showing(notices)) == 62
    refused = notices("enact", "--resume", "--first", "1")
    assert (refused.code, "are about a new enactment" in refused.err) == (2, True)


def test_it_ends_when_too_many_hosts_fail_and_is_gone_on_with(notices: Program) -> None:
    """Up to the number that was said it goes on; past it nothing more is begun, and the rest waits."""
    broken = [f"HARBOUR-{n:02}" for n in range(1, 11)]
    behave(notices, *broken, refuses=True)
    ended = notices("enact", "--stop-after", "3", "--yes")
    assert ended.code == 4
    assert "hosts have failed, more than 3: " in ended.err
    assert "left: " in ended.err
    assert " refused: refuses the connection (HARBOUR-01, HARBOUR-02, " in " ".join(ended.out.split())
    left = 62 - len(showing(notices))
    assert left > 4
    behave(notices, *broken)
    assert notices("enact", "--resume", "--yes").code == 4
    assert notices("enact", "--yes").code == 0
    assert len(showing(notices)) == 62


def test_what_is_left_for_hosts_that_are_off_is_done_when_they_are_back(notices: Program) -> None:
    """It is kept with its age and its tries, told by status, made once the host answers, and then forgotten."""
    off = ["HARBOUR-01", "HARBOUR-02"]
    behave(notices, *off, offline=True)
    ended = notices("enact", "--yes")
    assert (ended.code, "What is left for 2 hosts is done, once it can be, by" in ended.err) == (4, True)
    assert "for 2 hosts, the longest for less than a minute: adzeguard enact --pending" in notices("status").out
    since = {row["host"]: row["since_at"] for row in pending(notices)}
    behave(notices, "HARBOUR-01")
    again = notices("enact", "--pending", "--yes", "--format", "json")
    assert again.code == 4
    assert {row["target"]: row["status"] for row in again.json} == {
        "HARBOUR-01": "verified",
        "HARBOUR-02": "unreachable",
    }
    left = pending(notices)
    assert [(row["host"], row["tries"], row["since_at"]) for row in left] == [("HARBOUR-02", 2, since["HARBOUR-02"])]
    behave(notices, "HARBOUR-02")
    assert notices("enact", "--pending", "--yes").code == 0
    assert len(showing(notices)) == 62
    assert pending(notices) == []
    assert "Nothing to change" in notices("enact", "--pending", "--yes").out


def test_what_no_rule_asks_for_any_more_is_not_made_late(notices: Program) -> None:
    """A host that comes back gets what is asked for then, and what somebody wanted undone."""
    assert notices("enact", "--on", "HARBOUR-02", "--yes").code == 0
    behave(notices, "HARBOUR-01", "HARBOUR-02", offline=True)
    assert notices("undo", "--last", "--yes").code == 1
    assert notices("enact", "--on", "HARBOUR-01", "--yes").code == 1
    behave(notices, "HARBOUR-01", "HARBOUR-02")
    text = EVERYWHERE.replace("{everywhere: true}", '{everywhere: true, except: ["HARBOUR-01"]}')
    (notices.folder / "charter/charter.yaml").write_text(text)
    ended = notices("enact", "--pending", "--yes", "--format", "json")
    assert (ended.code, [(row["target"], row["rule"]) for row in ended.json]) == (0, [("HARBOUR-02", "undo")])
    assert "Left away, since no rule asks for it any more: " in ended.err
    assert (pending(notices), showing(notices)) == ([], set())


def test_a_host_is_done_whole_or_put_back(notices: Program) -> None:
    """Where one change is refused, those made before it are taken back, told so, and need no undoing."""
    text = (
        EVERYWHERE
        + """- id: wardens-everywhere
  response: mend
  hosts: {named: [HARBOUR-01, HARBOUR-02]}
  local-group: administrators
  include: ['LOWMERE\\Console Wardens']
"""
    )
    (notices.folder / "charter/charter.yaml").write_text(text)
    path = notices.folder / "hosts/HARBOUR-01.json"
    behave(notices, "HARBOUR-01", refuses_changes=["set-notice"])
    before = json.loads(path.read_text())
    ended = notices("enact", "--on", "HARBOUR-0[12]", "--yes", "--format", "json")
    outcome = {(row["target"], row["kind"]): row["status"] for row in ended.json}
    assert outcome == {
        ("HARBOUR-01", "add-local-member"): "put-back",
        ("HARBOUR-01", "set-notice"): "refused",
        ("HARBOUR-02", "add-local-member"): "verified",
        ("HARBOUR-02", "set-notice"): "verified",
    }
    assert ended.code == 4
    assert json.loads(path.read_text()) == before
    undone = notices("undo", "--last", "--yes", "--format", "json")
    assert {row["target"] for row in undone.json} == {"HARBOUR-02"}
    assert notices("journal", "verify").code == 0


CHANGES = st.lists(st.integers(0, 30).map(lambda n: f"H-{n:02}" if n else ""), max_size=40).map(
    lambda names: [SetNotice(host=name, title="x", rule="r", id=str(at)) for at, name in enumerate(names)]
)


@given(
    CHANGES, st.none() | st.integers(1, 9), st.none() | st.integers(1, 100), st.sampled_from([(), ("h-0*",), ("*",)])
)
def test_a_part_holds_whole_hosts_and_nothing_of_the_directory(
    changes: list[SetNotice], first: int | None, percent: int | None, patterns: tuple[str, ...]
) -> None:
    """All changes of a host or none, in their order; never more hosts than were asked for."""
    part = Part(first, percent, patterns)
    chosen = part.of(changes)
    hosts = {change.host for change in chosen}
    assert "" not in hosts
    assert list(chosen) == [change for change in changes if change.host in hosts]
    fitting = {c.host for c in changes if c.host and (patterns != ("h-0*",) or c.host.startswith("H-0"))}
    wanted = len(fitting) if percent is None else -(-len(fitting) * percent // 100)
    assert hosts <= fitting
    assert len(hosts) == (wanted if first is None else min(wanted, first))
