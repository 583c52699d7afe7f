"""Rows beside the journal that somebody writes into the store: seen by verify, and acted on by nothing."""

import json
import sqlite3
from collections.abc import Sequence
from contextlib import closing
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from tests.program import Json, Program

HER = "orla.fenn"
CHARTER = r"""charter: 1
rules:
- id: editors
  response: mend
  group: LOWMERE\Chart Editors
  include: ['LOWMERE\roan.pell']
- id: writers
  response: tell
  owner: mira.holt@lowmere.example
  group: LOWMERE\Chart Writers
  only: []
"""


def forged(program: Program, statement: str, values: Sequence[Any] = ()) -> None:
    """Write behind the program's back."""
    with closing(sqlite3.connect(program.folder / ".adzeguard/store.db")) as store, store:
        assert store.execute(statement, values).rowcount == 1


def inside(program: Program, group: str) -> set[str]:
    """Who is in a group."""
    return {m["name"] for m in program("who", group, "--format", "json").json}


def rounds(program: Program) -> Json:
    """Make one round."""
    return program("round", "--format", "json").json


@pytest.fixture
def at_work(demo: Program) -> Program:
    """The demo with a lease, a waiver, a question, something put in and something put away."""
    (demo.folder / "charter/charter.yaml").write_text(CHARTER)
    assert demo("enact", "--yes").code == 0
    assert demo("lease", "start", HER, "Chart Readers", "--for", "1h", "--yes").code == 0
    assert demo("lease", "start", "mira.holt", "Timetable Editors", "--for", "1h", "--yes").code == 0
    assert demo("round").code == 0
    found = demo("check", "--format", "json").json[0]["fingerprint"]
    assert demo("questions", "leave", found, "--until", "2d", "--why", "looked into").code == 0
    assert demo("retire", "Old Regatta", "--yes").code == 0
    assert demo("journal", "verify").code == 0
    return demo


LATER = (datetime.now(UTC) + timedelta(days=27000)).isoformat()
FORGED = {
    "a lease that never ends": ("UPDATE lease SET until_ = ? WHERE id = 'L2'", (LATER,), "lease: L2 was changed"),
    "a lease that is gone": ("DELETE FROM lease WHERE id = 'L2'", (), "lease: L2 was taken out by nobody"),
    "a waiver": ("UPDATE waiver SET until_ = ?", (LATER,), "waiver: W1 was changed"),
    "a question that was answered": ("UPDATE question SET state = 'left'", (), "question: Q1 was changed"),
    "what was put in": ("UPDATE put_in SET rule = 'another'", (), "what rules have put in: "),
    "what is put away": ("UPDATE retired SET body = replace(body, 'Old', 'New')", (), "what is put away: "),
}


@pytest.mark.parametrize("forgery", FORGED)
def test_a_row_that_is_changed_is_seen_and_believed_by_no_round(at_work: Program, forgery: str) -> None:
    """`journal verify` names it and a round says so; put right, it stands as it was written."""
    statement, values, said = FORGED[forgery]
    forged(at_work, statement, values)
    seen = at_work("journal", "verify")
    assert (seen.code, said in seen.out) == (3, True), seen.out
    made = rounds(at_work)
    assert any(said in line and "is not acted on" in line for line in made["refusals"])
    assert at_work("journal", "verify", "--put-right").code == 0
    assert at_work("propose", "--format", "json").json["changes"] == []
    assert at_work("journal", "verify").code == 0
    assert rounds(at_work)["refusals"] == []


def test_no_forged_row_puts_anybody_in_or_out(at_work: Program) -> None:
    """A lease, a put-in and a put-away of nobody's: the administrator stays, and nobody comes into their group."""
    before = inside(at_work, "Domain Admins")
    with closing(sqlite3.connect(at_work.folder / ".adzeguard/store.db")) as store:
        columns = [row[1] for row in store.execute("PRAGMA table_info(lease)")]
        [lease] = store.execute("SELECT * FROM lease WHERE id = 'L2'").fetchall()
        [(change,)] = store.execute("SELECT change FROM put_in LIMIT 1").fetchall()
        [(body,)] = store.execute("SELECT body FROM retired").fetchall()
    admins = at_work("show", "Domain Admins", "--format", "json").json["sid"]
    admin = at_work("show", "isolde.varn.adm", "--format", "json").json["sid"]
    past = datetime.now(UTC) - timedelta(hours=1)
    row = dict(zip(columns, lease, strict=True)) | {
        "id": "L9",
        "group_sid": admins,
        "member_sid": admin,
        "until_": past.isoformat(),
        "stood_before": 0,
    }
    forged(at_work, f"INSERT INTO lease VALUES ({', '.join('?' * len(columns))})", [row[name] for name in columns])
    put_in = json.loads(change)
    put_in["group"] |= {"name": r"LOWMERE\Domain Admins", "sid": admins}
    put_in["member"] |= {"name": r"LOWMERE\isolde.varn.adm", "sid": admin}
    claim = json.dumps(["member", admins, admin])
    forged(at_work, "INSERT INTO put_in VALUES (?, 'gone', 2, ?)", (claim, json.dumps(put_in)))
    stranger = json.loads(body)
    stranger["groups"] = [admins]
    forged(at_work, "UPDATE retired SET body = ?", (json.dumps(stranger),))

    made = rounds(at_work)

    assert made["leases_ended"] == []
    assert len(made["refusals"]) == 3
    assert at_work("propose", "--format", "json").json["changes"] == []
    assert at_work("retire", "--help").code == 0
    assert inside(at_work, "Domain Admins") == before
    listed = at_work("lease", "list", "--format", "json")
    assert [row["id"] for row in listed.json] == ["L1", "L2"]
    assert "1 more are not as the journal tells" in listed.err
    assert "2 rows are not as the journal tells, and not acted on" in " ".join(at_work("status").out.split())


def test_each_enactment_tells_the_charter_that_it_was_made_by(demo: Program) -> None:
    """The digest of the files: the same for the same charter, another one for another."""

    def begun() -> list[str]:
        return [row["body"]["charter"] for row in demo("journal", "--format", "json").json if row["kind"] == "begin"]

    (demo.folder / "charter/charter.yaml").write_text(CHARTER)
    assert demo("group", "add", "Chart Readers", "signe.quist", "--yes").code == 0
    assert demo("group", "remove", "Chart Readers", "signe.quist", "--yes").code == 0
    (demo.folder / "charter/charter.yaml").write_text("charter: 1\nrules: []\n")
    assert demo("group", "add", "Chart Readers", "signe.quist", "--yes").code == 0
    first, second, third = begun()
    assert len(first) == 64
    assert (first == second, second == third) == (True, False)
