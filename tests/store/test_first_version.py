"""What the first version wrote is read, brought up to date, or refused in one clear line.

The archive holds a workspace that the first version made: a charter enacted, a group, an OU and a grant made by
hand, an object moved, a group deleted and its deletion undone, and the intake set.
"""

import sqlite3
import tarfile
from pathlib import Path

import pytest

from adzeguard.store.migrations import MIGRATIONS, VERSION
from adzeguard.store.sqlite import SqliteDatabase
from tests.program import Program

ARCHIVE = Path(__file__).with_name("from_first_version.tar.gz")


@pytest.fixture
def first(tmp_path: Path) -> Program:
    """The workspace, with its rules in today's words: the first version called the responses otherwise."""
    with tarfile.open(ARCHIVE) as archive:
        archive.extractall(tmp_path, filter="data")
    charter = tmp_path / "first/charter/charter.yaml"
    text = (
        charter.read_text().replace("response: correct", "response: mend").replace("response: alert", "response: tell")
    )
    charter.write_text(text.replace("[reset-passwords]", "[password-help]"))
    return Program(tmp_path / "first")


def store_of(program: Program) -> Path:
    """The file of its store."""
    return program.folder / ".adzeguard/store.db"


def test_its_store_is_brought_up_to_date_and_its_journal_stays_whole(first: Program) -> None:
    """All 58 rows are read in words, the chain holds over both forms, and a new row follows the old ones."""
    journal = first("journal", "--limit", "500", "--format", "json").json
    verified = first("journal", "verify")

    assert (len(journal), {row["format"] for row in journal}) == (58, {1})
    assert not any("cannot be read" in row["what"] for row in journal)
    assert any("add LOWMERE\\Kiosk Stewards to KIOSK-15\\administrators" in row["what"] for row in journal)
    assert (verified.code, "where the journal ended is not known" in verified.out) == (3, True)
    assert first("group", "add", "First Aiders", "orla.fenn", "--yes").code == 0
    rows = first("journal", "--limit", "500", "--format", "json").json
    assert [row["format"] for row in rows[-4:]] == [2, 2, 2, 2]
    assert first("journal", "verify").out == f"All {len(rows)} rows stand as they were written.\n"


def test_its_hosts_and_members_are_those_that_it_collected(first: Program) -> None:
    """A store that was brought up to date answers as one that is collected anew."""
    questions = (
        ["who", "--on", "KIOSK-07"],
        ["who", "--hosts"],
        ["who", "LOWMERE\\Domain Admins"],
        ["show", "KIOSK-15"],
    )
    migrated = [first(*question, "--format", "json").json for question in questions]
    assert first("collect", "--full").code == 4
    collected = [first(*question, "--format", "json").json for question in questions]
    for shown in (migrated[3], collected[3]):  # what hosts say today was not asked of them then
        for key in ("capabilities", "logon", "notice", "elevations", "ran_elevated"):
            shown.pop(key, None)

    assert migrated == collected
    assert migrated[0]
    assert migrated[1]


def test_what_its_rules_put_in_is_known_and_withdrawn(first: Program) -> None:
    """The table of what rules have put in is gathered once from its journal; a rule that goes takes it out again."""
    assert first("propose", "--format", "json").json["changes"] == []
    charter = first.folder / "charter/charter.yaml"
    kept, _, rest = charter.read_text().partition("  - id: kiosk-administrators")
    charter.write_text(kept + "  - id: console-wardens" + rest.partition("  - id: console-wardens")[2])
    changes = first("propose", "--format", "json").json["changes"]

    assert {(c["kind"], c["host"], c["member"]["name"]) for c in changes} == {
        ("remove-local-member", "KIOSK-15", "LOWMERE\\Kiosk Stewards"),
    }


def test_its_enactments_are_undone(first: Program) -> None:
    """Every enactment of the first version can be taken back by the name that its journal gives it."""
    names = dict.fromkeys(row["enactment"] for row in first("journal", "--limit", "500", "--format", "json").json)
    for name in list(reversed(names))[:3]:
        undone = first("undo", name, "--yes", "--format", "json")
        assert undone.code == 0, undone.err
        assert {outcome["status"] for outcome in undone.json} == {"verified"}


def test_its_proposal_is_read(first: Program) -> None:
    """A proposal file of the first form is read and held against what stands: all of it is done already."""
    ran = first("enact", "plan.json", "--yes")

    assert ran.code == 1
    assert "who gains and who loses by it is not what the file says" in ran.err
    assert "Make the proposal again: adzeguard propose --output FILE" in ran.err


def test_its_interrupted_enactment_is_gone_on_with(first: Program) -> None:
    """An enactment that the first version began and did not end is finished, and nothing is done twice."""
    with sqlite3.connect(store_of(first)) as connection:
        connection.execute("DELETE FROM journal WHERE seq = 58")
    ran = first("group", "add", "First Aiders", "orla.fenn", "--yes")
    assert "was interrupted with 0 changes left: adzeguard enact --resume" in ran.err
    assert first("enact", "--resume", "--yes").code == 0
    assert first("enact", "--resume", "--yes").code == 2
    assert first("journal", "verify").code == 0


@pytest.mark.parametrize(
    ("body", "said"),
    [
        ("{not json", "cannot be read: its body is no JSON"),
        ("[1]", "cannot be read: its body is not what a row holds"),
        (
            '{"change": {"verb": "format-disk", "object": {"name": "x"}}}',
            "there is no change of the kind 'format-disk'",
        ),
        ('{"change": 7}', "there is no change of the kind"),
    ],
)
def test_a_row_that_cannot_be_read_hides_no_other(first: Program, body: str, said: str) -> None:
    """It is one clear line where it stands; undoing what it was about is refused, and all other rows are shown."""
    with sqlite3.connect(store_of(first)) as connection:
        [(seq, name)] = connection.execute("SELECT seq, apply FROM journal WHERE kind = 'intent' LIMIT 1").fetchall()
        connection.execute("UPDATE journal SET body = ? WHERE seq = ?", (body, seq))
    rows = first("journal", "--limit", "500", "--format", "json").json
    undone = first("undo", name, "--yes")

    assert len(rows) == 58
    assert [said in row["what"] for row in rows].count(True) == 1
    assert undone.code == 1
    assert f"row {seq} of the journal cannot be read" in undone.err
    assert f"row {seq} was changed after it was written" in first("journal", "verify").out


def test_a_host_state_that_cannot_be_read_is_healed_by_a_collection(first: Program) -> None:
    """Nothing is known of such a host until it is read again."""
    assert first("status").code in (0, 3)
    with sqlite3.connect(store_of(first)) as connection:
        connection.execute("UPDATE host SET state = '{}' WHERE id = (SELECT min(id) FROM host)")
    assert first("who", "--hosts").code == 0
    first("collect")
    with sqlite3.connect(store_of(first)) as connection:
        assert connection.execute("SELECT count(*) FROM host WHERE until IS NULL AND state = '{}'").fetchall() == [(0,)]


def test_a_new_store_comes_out_like_one_that_was_brought_up_to_date(first: Program, tmp_path: Path) -> None:
    """Both went the same steps, so that their tables and indexes are the same."""
    assert first("status").code in (0, 3)
    SqliteDatabase(tmp_path / "new.db", tmp_path / "lock").close()

    def tables(path: Path) -> set[tuple[str, str]]:
        with sqlite3.connect(path) as connection:
            names = connection.execute("SELECT type, name FROM sqlite_master WHERE name NOT LIKE 'sqlite%'").fetchall()
            return {(kind, name, *connection.execute(f"PRAGMA table_info({name})")) for kind, name in names}

    assert tables(store_of(first)) == tables(tmp_path / "new.db")
    assert len(MIGRATIONS) == VERSION
