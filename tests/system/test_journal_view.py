"""The journal by enactment: what was done, why, by whom, and what became of it."""

import json
import re
import sqlite3
from contextlib import closing
from datetime import UTC, datetime

import pytest

from tests.program import Program

NAME = re.compile(r"e\d{8}-\d{6}-\d{6}")


@pytest.fixture
def written(demo: Program) -> Program:
    """The demo after two enactments by hand."""
    for person, why in (("roan.pell", "storm charts"), ("hedda.morrow", "new in the chart room")):
        done = demo("group", "add", r"LOWMERE\Chart Editors", person, "--why", why, "--yes")
        assert done.code == 0, done.err
    return demo


def named(text: str) -> list[str]:
    """The enactments in a text, in their order."""
    return NAME.findall(text)


def test_people_see_one_line_an_enactment(written: Program) -> None:
    """With its reason and its outcome, oldest first; of one, each change; programs see the rows as they are."""
    shown = " ".join(written("journal").out.split())
    assert len(named(shown)) == 2
    assert shown.index("storm charts") < shown.index("new in the chart room")
    assert shown.count("1 verified") == 2
    first, second = named(shown)
    one = " ".join(written("journal", "--enactment", second).out.split())
    assert ("hedda.morrow" in one, "roan.pell" in one, "verified" in one) == (True, False, True)
    assert len(written("journal", "--format", "json").json) == 8
    assert [row["kind"] for row in written("journal", "--format", "json", "--enactment", first).json] == [
        "begin",
        "intent",
        "outcome",
        "end",
    ]
    assert "intent" in written("journal", "--rows").out
    assert named(written("journal", "--limit", "1").out) == [second]
    assert "no enactment of that name" in written("journal", "--enactment", "e1").out


def test_what_is_looked_for(written: Program) -> None:
    """By whom, about what, since when; the same enactments whole for programs."""
    by = written("journal", "--format", "json").json[0]["by"]
    first, second = named(written("journal").out)
    assert named(written("journal", "--about", "ROAN").out) == [first]
    assert {row["enactment"] for row in written("journal", "--about", "roan", "--format", "json").json} == {first}
    assert named(written("journal", "--by", by).out) == [first, second]
    assert named(written("journal", "--by", "nobody-of-that-name").out) == []
    assert named(written("journal", "--since", datetime.now(UTC).isoformat()).out) == []
    assert named(written("journal", "--since", "1h", "--about", "hedda").out) == [second]


def test_what_cannot_be_read_is_told_where_it_stands(written: Program) -> None:
    """In its enactment, which shows what of it can be read, and hides no other."""
    with closing(sqlite3.connect(written.folder / ".adzeguard/store.db")) as store, store:
        store.execute("UPDATE journal SET body = '{' WHERE seq = 2")
    written.environment["COLUMNS"] = "200"
    shown = " ".join(written("journal").out.split())
    assert len(named(shown)) == 2
    assert "its body is no JSON" in shown
    assert "hedda.morrow" in shown
    first = named(shown)[0]
    assert "its body is no JSON" in " ".join(written("journal", "--enactment", first).out.split())
    lines = written("journal", "--format", "jsonl").out.splitlines()
    assert json.loads(lines[1])["what"] == "cannot be read: its body is no JSON"


def test_programs_get_every_row(demo: Program) -> None:
    """Without --limit nothing is cut; people get the latest fifty, and of those who ask, as many as they ask for."""
    for number in range(14):
        verb = "add" if number % 2 == 0 else "remove"
        assert demo("group", verb, "First Aiders", "orla.fenn", "--yes").code == 0
    rows = demo("journal", "--format", "json").json
    assert [row["seq"] for row in rows] == list(range(1, 57))
    assert len(demo("journal", "--format", "csv").out.splitlines()) == 57
    assert len(demo("journal", "--format", "json", "--limit", "3").json) == 3
    assert demo("journal", "--rows").out.rstrip().endswith("50 rows")
