"""The copy of what holds now says what the store says, whatever happened to either."""

import os
import signal
import tempfile
from itertools import pairwise
from pathlib import Path
from typing import Any, Self

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.estate.assembly import Assembled, assemble
from adzeguard.core.estate.principal import Kind
from adzeguard.core.estate.rows import Observed
from adzeguard.store import kept_columns
from adzeguard.store.connection import Database
from adzeguard.store.estate_store import EstateStore
from adzeguard.store.kept_columns import Checked, Columns
from adzeguard.store.kept_graph import graph_of
from adzeguard.store.kept_objects import NUMBERS, texts_of
from adzeguard.store.present import Present, read_columns
from tests.estates import DOMAIN, directory
from tests.store.conftest import New, in_folder
from tests.store.test_partial import moments
from tests.store.test_store import FACTS, numbered

HARMS = ("none", "deleted", "cut", "older form", "zeroed")


def meant(columns: Columns) -> dict[str, Any]:
    """What columns say: each object, what each group holds, and what holds each object."""
    authorities = [*texts_of(columns, "authority_names"), ""]
    keys = [*texts_of(columns, "descriptor_keys"), ""]
    texts = zip(texts_of(columns, "names"), texts_of(columns, "dns"), strict=True)
    numbers = zip(*(columns[name].tolist() for name in NUMBERS), strict=True)
    objects = {}
    for i, (row, named) in enumerate(zip(numbers, texts, strict=True)):
        said = dict(zip(NUMBERS, row, strict=True))
        said |= {"authorities": authorities[said["authorities"]], "descriptors": keys[said["descriptors"]]}
        if said["kinds"] != Kind.ABSENT:
            objects[i] = (said, named)
    graph = graph_of(Checked(columns), len(columns["kinds"]))
    groups = graph.group_ids.tolist()
    return {
        "objects": objects,
        "security": dict(zip(groups, graph.security.tolist(), strict=True)),
        "listed": {group: graph.direct_members(group).tolist() for group in groups},
        "primary": {group: graph.primary_members(group).tolist() for group in groups},
        "inside": {i: graph.groups_listing(i).tolist() for i in objects},
        "of primary": {i: graph.primary_groups(i).tolist() for i in objects},
    }


def from_store(database: Database) -> dict[str, Any]:
    """What the store says."""
    with database.reading() as connection:
        return meant(read_columns(connection))


def harm(path: Path, how: str) -> None:
    """Do something to the file that a disk, a power cut or an older version could have done."""
    if how == "none" or not path.exists():
        return
    content = bytearray(path.read_bytes())
    path.unlink()
    if how == "cut":
        content = content[: len(content) * 2 // 3]
    elif how == "older form":
        content[15:16] = b"0"
    elif how == "zeroed":
        content[4096:8192] = bytes(4096)
    if how != "deleted":
        path.write_bytes(content)


@given(st.lists(st.tuples(moments(), st.sampled_from(HARMS), st.booleans()), min_size=2, max_size=5))
def test_the_copy_says_what_the_store_says(
    new_store: New, course: list[tuple[dict[bytes, Observed], str, bool]]
) -> None:
    """Whatever comes, goes and changes, in parts or whole, and whatever is done to the file in between."""
    database = new_store()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "present"
        store = EstateStore(database, path)
        first = list(course[0][0].values())
        store.write(FACTS, assemble(DOMAIN, first, store.ids_for([s.row.key for s in first])), [])
        moments_before = [from_store(database)]
        for (before, _, _), (after, how, whole) in pairwise(course):
            harm(path, how)
            store = EstateStore(database, path)
            if whole:
                seen = list(after.values())
                store.write(FACTS, assemble(DOMAIN, seen, store.ids_for([s.row.key for s in seen])), [])
            else:
                changed = [seen for key, seen in after.items() if before.get(key) != seen]
                store.write_observed(FACTS, changed, [], removed=[key for key in before if key not in after])

            moments_before.append(from_store(database))
            assert meant(Present(database, path).columns().all()) == moments_before[-1]
            assert kept_columns.opened(path) is not None
        for number, stood in enumerate(moments_before, 1):
            past = Present(database, path).columns_at(number)
            assert past is not None
            assert meant(past.all()) == stood


@pytest.fixture
def stored(tmp_path: Path) -> tuple[EstateStore, Path]:
    """A store with some people in groups, and the copy beside it."""
    store = EstateStore(in_folder(tmp_path), tmp_path / "present")
    store.write(FACTS, numbered(store, crew(["ada"])), [])
    return store, tmp_path / "present"


def crew(members: list[str]) -> Assembled:
    """A directory with one group of these."""
    return directory(["ada", "ben", "cleo"], {"Crew": members, "Quay": ["Crew"]})


@pytest.mark.parametrize("how", [one for one in HARMS if one != "none"])
def test_a_copy_that_is_harmed_is_made_anew(stored: tuple[EstateStore, Path], how: str) -> None:
    """No look gives a wrong answer by it, and the next one finds it whole."""
    store, path = stored
    harm(path, how)

    again = EstateStore(store.database, path)
    estate = again.load()
    assert [p.name for p in estate.catalogue.principals(range(estate.catalogue.size)).values()] != []
    assert meant(Present(store.database, path).columns().all()) == from_store(store.database)
    assert kept_columns.opened(path) is not None


def test_a_copy_of_another_store_is_not_believed(tmp_path: Path) -> None:
    """A store that was put back from a backup and collected anew has as many collections, with other members."""
    path = tmp_path / "present"
    for number, member in enumerate(["ada", "ben"]):
        database = in_folder(tmp_path / str(number))
        store = EstateStore(database, tmp_path / f"beside-{number}")
        store.write(FACTS, numbered(store, crew([member])), [])
    path.write_bytes((tmp_path / "beside-0").read_bytes())

    graph = EstateStore(database, path).load_graph()
    group = store.load().catalogue.by_name("Crew")[0]
    assert graph.direct_members(group).tolist() == store.load().catalogue.by_name("ben")


def test_a_look_that_began_before_a_collection_never_mixes_the_two(stored: tuple[EstateStore, Path]) -> None:
    """What was opened goes on saying what it said, though the file is another one by now."""
    store, path = stored
    old = Present(store.database, path)
    before = old.columns()
    group = store.load().catalogue.by_name("Crew")[0]
    other = EstateStore(store.database, path)
    other.write(FACTS, numbered(other, crew(["ben", "cleo"])), [])

    assert texts_of(before.all(), "names") is not None
    assert len(before.whole("people.targets")) == 1
    now = old.columns()
    assert len(graph_of(now, now.length("kinds")).direct_members(group)) == 2


def test_a_writer_that_is_killed_leaves_the_copy_as_it_was(
    stored: tuple[EstateStore, Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Killed at each write of the file: it is the old one whole, or the new one whole."""
    store, path = stored
    for after in range(1, 40, 3):
        store.write(FACTS, numbered(store, crew(["ada", "ben"][: after % 2 + 1])), [])
        child = os.fork()
        if child == 0:
            _die_after(monkeypatch, after)
            kept_columns.write(path, 99, "later", {"kinds": np.arange(9), "names": np.arange(70_000)})
            os._exit(0)
        _, status = os.waitpid(child, 0)

        assert os.waitstatus_to_exitcode(status) in (0, -signal.SIGKILL)
        assert meant(Present(store.database, path).columns().all()) == from_store(store.database)


def _die_after(monkeypatch: pytest.MonkeyPatch, calls: int) -> None:
    """Let the process be killed at a certain writing of bytes to a file."""
    left = [calls]
    real = os.fdopen

    class Dying:
        def __init__(self, file: Any) -> None:
            self._file = file

        def __enter__(self) -> Self:
            return self

        def __exit__(self, *_: object) -> None:
            self._file.close()

        def seek(self, place: int) -> None:
            self._file.seek(place)

        def write(self, data: Any) -> None:
            left[0] -= 1
            if not left[0]:
                self._file.flush()
                os.kill(os.getpid(), signal.SIGKILL)
            self._file.write(data)

    monkeypatch.setattr(os, "fdopen", lambda handle, mode: Dying(real(handle, mode)))
