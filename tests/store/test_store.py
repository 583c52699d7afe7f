"""The store: what goes in comes out, only what differs is written, and nobody else can read it."""

import sqlite3
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from pathlib import Path
from threading import Event

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.errors import NothingCollectedError, StoreError, StoreTooNewError
from adzeguard.core.estate.assembly import Assembled
from adzeguard.core.estate.hosts import Host, HostState, LocalGroup
from adzeguard.core.estate.principal import Flag, Kind
from adzeguard.core.identity import Sid
from adzeguard.core.wellknown import ADMINISTRATORS
from adzeguard.store.collections import CollectionFacts
from adzeguard.store.estate_store import EstateStore
from adzeguard.store.journal import Journal
from adzeguard.store.sqlite import SqliteDatabase
from tests.estates import DOMAIN, NOON, directory
from tests.store.conftest import New, in_folder

FACTS = CollectionFacts("full", NOON, NOON, "here", DOMAIN)
PEOPLE = ["ada", "Ben", "çelo", "d%ra"]
NAMES = [*PEOPLE, "Crew", "Quay"]


@st.composite
def directories(draw: st.DrawFn) -> Assembled:
    """A few people and two groups with random members, nested either way."""
    people = draw(st.lists(st.sampled_from(PEOPLE), min_size=1, unique=True))
    inside = {
        name: draw(st.sets(st.sampled_from([*people, *(n for n in ("Crew", "Quay") if n != name)])))
        for name in ("Crew", "Quay")
    }
    return directory(
        people,
        {name: sorted(members) for name, members in inside.items()},
        disabled=people[:1],
        computers={"KIOSK-1": "OU=Hosts"},
    )


def hosts_of(whole: Assembled, member: str) -> list[Host]:
    """One host with one administrator."""
    [computer] = whole.objects.by_name("KIOSK-1")
    state = HostState(
        Sid("S-1-5-21-7-7-7"), (), (LocalGroup("Administrators", ADMINISTRATORS, frozenset({Sid(member)})),)
    )
    return [Host(computer, "KIOSK-1", whole.objects.dns[computer], state)]


def numbered(store: EstateStore, whole: Assembled) -> Assembled:
    """The same directory with the ids that the store gives."""
    from adzeguard.core.estate.assembly import assemble
    from adzeguard.core.estate.rows import Observed

    rows = dict(whole.objects.all_rows())
    listed = {i: tuple(rows[m].dn for m in whole.graph.direct_members(i).tolist()) for i in rows}
    seen = [Observed(row, listed[i]) for i, row in rows.items()]
    return assemble(DOMAIN, seen, store.ids_for([s.row.key for s in seen]))


@given(st.lists(directories(), min_size=1, max_size=4))
def test_the_last_collection_is_what_the_store_holds(new_store: New, collections: list[Assembled]) -> None:
    """After any sequence of collections, objects, look-ups and memberships equal those of the last one in memory."""
    database = new_store()
    store = EstateStore(database)
    for whole in collections:
        last = numbered(store, whole)
        store.write(FACTS, last, hosts_of(last, "S-1-5-32-545"))
        again = store.write(FACTS, last, hosts_of(last, "S-1-5-32-545"))
        assert (again.objects, again.groups, again.hosts) == (0, 0, 0)
    estate = store.load()
    stored, objects = estate.catalogue, last.objects
    alone, nothing = estate.host_named("kiosk-1"), estate.host_named("kiosk-2")
    assert (alone, nothing) == (estate.hosts_by_name["kiosk-1"], None)

    everything = range(stored.size)
    assert stored.principals(everything) == objects.principals(range(objects.size))
    for name in NAMES:
        assert stored.by_name(name.upper()) == objects.by_name(name.upper())
    for kind in Kind:
        assert stored.of_kind(kind).tolist() == objects.of_kind(kind).tolist() or kind == Kind.ABSENT
    assert [stored.count_of(kind) for kind in Kind if kind] == [objects.count_of(kind) for kind in Kind if kind]
    for flag in Flag:
        assert stored.flagged(flag).tolist() == objects.flagged(flag).tolist()
    for part in ("a", "E", "Ç", "%", "_", "!"):
        assert sorted(stored.containing(part, 50)) == sorted(objects.containing(part, 50))
    for i, row in objects.all_rows():
        assert stored.by_dn(row.dn.upper()) == i
        assert not row.sid or stored.by_sids([row.sid]) == {row.sid: i}
        assert set(estate.graph.direct_members(i).tolist()) == set(last.graph.direct_members(i).tolist())
    assert [h.state for h in estate.hosts] == [h.state for h in hosts_of(last, "S-1-5-32-545")]
    database.close()


def test_the_past_is_kept_beside_the_present(tmp_path: Path) -> None:
    """What changed is closed, not overwritten: both members of a group stand in the store, each with its time."""
    store = EstateStore(in_folder(tmp_path))
    for members in (["ada"], ["Ben"]):
        whole = numbered(store, directory(["ada", "Ben"], {"Crew": members}))
        store.write(FACTS, whole, [])
    with sqlite3.connect(tmp_path / "store.db") as connection:
        rows = connection.execute("SELECT since, until FROM membership ORDER BY since").fetchall()

    assert rows == [(1, 2), (2, None)]


def test_the_store_is_private_and_guards_its_version(tmp_path: Path) -> None:
    """Only its owner can read it; a store of a newer version is refused, and so is a file that is none."""
    path = tmp_path / "state" / "store.db"
    database = in_folder(path.parent)
    with pytest.raises(NothingCollectedError):
        EstateStore(database).latest()
    database.close()

    assert path.stat().st_mode & 0o777 == 0o600
    with sqlite3.connect(path) as connection:
        connection.execute("UPDATE about SET value = '99' WHERE name = 'version'")
    with pytest.raises(StoreTooNewError, match="of version 99"):
        in_folder(path.parent)
    path.write_bytes(b"no database at all" * 100)
    with pytest.raises(StoreError, match="damaged or is no store"):
        in_folder(path.parent)


@pytest.mark.parametrize(
    ("harm", "said"),
    [
        ("UPDATE journal SET body = '{\"x\": 2}' WHERE seq = 2", "row 2 was changed"),
        ("UPDATE journal SET by = 'nobody' WHERE seq = 3", "row 3 was changed"),
        ("DELETE FROM journal WHERE seq = 2", "rows 2 to 2 are missing"),
        (
            "".join(f"UPDATE journal SET seq = {b} WHERE seq = {a};" for a, b in ((1, 9), (2, 1), (9, 2))),
            "row 1 was",
        ),
    ],
)
def test_a_journal_shows_what_was_done_to_it(tmp_path: Path, harm: str, said: str) -> None:
    """A row that is changed, missing or out of order breaks the chain, and is named."""
    journal = Journal(in_folder(tmp_path))
    for number in range(4):
        journal.append("intent", "e1", {"x": number}, NOON + timedelta(seconds=number), "ada")
    assert list(journal.broken_at()) == []
    with sqlite3.connect(tmp_path / "store.db") as connection:
        connection.executescript(harm)

    assert any(line.startswith(said) for line in journal.broken_at())


def test_a_second_opening_takes_no_lock_away(tmp_path: Path) -> None:
    """Opened twice by one process, nobody else takes themselves for the last to use it, which would damage it."""
    whole = tmp_path / "store.db"
    first = SqliteDatabase(whole, tmp_path / "lock")
    for _ in range(2):
        code = (
            "import sqlite3, sys\nstore = sqlite3.connect(sys.argv[1], timeout=0, isolation_level=None)\n"
            "try: print(store.execute('PRAGMA journal_mode=DELETE').fetchone())\n"
            "except sqlite3.OperationalError as error: print(error)"
        )
        other = subprocess.run([sys.executable, "-c", code, whole], capture_output=True, text=True, check=True)
        assert other.stdout == "database is locked\n"
        second = SqliteDatabase(whole, tmp_path / "lock")
    second.close()
    first.close()


def test_a_thread_that_writes_waits_for_one_that_reads(new_store: New) -> None:
    """It is no look that writes: it takes its turn, and what it wrote stands."""
    database = new_store()
    reads, wrote = Event(), Event()

    def read() -> None:
        with database.reading() as connection:
            reads.set()
            wrote.wait(0.3)
            connection.rows("SELECT count(*) FROM about")

    def write() -> None:
        reads.wait()
        try:
            with database.writing() as connection:
                connection.run("INSERT INTO about (name, value) VALUES ('waited', 'its turn')")
        finally:
            wrote.set()

    with ThreadPoolExecutor(2) as pool:
        for done in [pool.submit(read), pool.submit(write)]:
            done.result()
    with database.reading() as connection:
        assert connection.rows("SELECT value FROM about WHERE name = 'waited'")[0][0] == "its turn"


def test_what_looks_at_one_moment_cannot_write(tmp_path: Path) -> None:
    """An error of the program, and never a half-written store."""
    database = in_folder(tmp_path)
    with database.reading(), pytest.raises(AssertionError), database.writing():
        pass
    with database.writing() as connection:
        connection.run("INSERT INTO about (name, value) VALUES ('later', 'goes')")
