"""The end of the journal: what was cut off it is missed, and goes on being missed."""

import shutil
import sqlite3

from tests.program import Program


def cut_off(demo: Program, rows: int) -> None:
    """Take the last rows away as somebody would who knows the store."""
    with sqlite3.connect(demo.folder / ".adzeguard/store.db") as store:
        store.execute("DELETE FROM journal WHERE seq > (SELECT max(seq) FROM journal) - ?", (rows,))
    store.close()


def test_rows_cut_off_the_end_of_the_journal_are_missed_for_good(demo: Program) -> None:
    """Verify names them, also after more was written; of a whole journal it says nothing."""
    assert demo("group", "add", "First Aiders", "orla.fenn", "--yes").code == 0
    assert demo("group", "add", "First Aiders", "yorick.tarn", "--yes").code == 0
    assert demo("journal", "verify").out == "All 8 rows stand as they were written.\n"
    cut_off(demo, 4)
    missed = demo("journal", "verify")
    assert (missed.code, missed.out) == (3, "rows 5 to 8, which were written from here, are cut off the end\n")
    assert demo("group", "add", "First Aiders", "hedda.morrow", "--yes").code == 0
    assert "rows 5 to 8" in demo("journal", "verify").out
    assert demo("journal", "verify").code == 3


def test_a_store_that_was_moved_away_is_missed(demo: Program) -> None:
    """A new store in its place has no journal, and verify says which rows were there."""
    assert demo("group", "add", "First Aiders", "orla.fenn", "--yes").code == 0
    shutil.move(demo.folder / ".adzeguard/store.db", demo.folder / "elsewhere.db")
    assert demo("collect").code in (0, 4)
    assert "rows 1 to 4" in demo("journal", "verify").out
    assert (demo.folder / ".adzeguard/journal-head").stat().st_mode & 0o777 == 0o600
