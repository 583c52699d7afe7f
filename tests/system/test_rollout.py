"""A large proposal in parts: some hosts first, and an end when too many fail."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.change.kinds.set_notice import SetNotice
from adzeguard.core.change.part import Part
from tests.conftest import Program

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


def break_(program: Program, *names: str) -> None:
    """Let hosts refuse whoever connects."""
    for name in names:
        path = program.folder / f"hosts/{name}.json"
        content = json.loads(path.read_text())
        path.write_text(json.dumps(content | {"behaviour": {"refuses": True}}))


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
    break_(notices, *broken)
    ended = notices("enact", "--stop-after", "3", "--yes")
    assert ended.code == 4
    assert "hosts have failed, more than 3: " in ended.err
    assert "left: " in ended.err
    assert " refused: refuses the connection (HARBOUR-01, HARBOUR-02, " in " ".join(ended.out.split())
    left = 62 - len(showing(notices))
    assert left > 4
    for name in broken:
        path = notices.folder / f"hosts/{name}.json"
        path.write_text(json.dumps(json.loads(path.read_text()) | {"behaviour": {}}))
    assert notices("enact", "--resume", "--yes").code == 4
    assert notices("enact", "--yes").code == 0
    assert len(showing(notices)) == 62


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
