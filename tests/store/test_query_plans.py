"""What is asked by few objects is looked up where they stand, and not among all."""

from pathlib import Path

import pytest

from adzeguard.store.connection import Row
from adzeguard.store.estate_store import EstateStore
from adzeguard.store.indexes import DETAIL_KEYS
from adzeguard.store.sqlite import _Open
from tests.estates import directory
from tests.store.conftest import in_folder
from tests.store.test_store import FACTS, numbered


@pytest.mark.parametrize("key", DETAIL_KEYS)
def test_a_detail_that_few_have_is_looked_up_by_its_index(
    key: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """SQLite takes the last index that fits, so that it matters in which order a first estate makes them."""
    store = EstateStore(in_folder(tmp_path))
    store.write(FACTS, numbered(store, directory(["ada", "ben"], {"Crew": ["ada"]})), [])
    catalogue, plans, rows = store.load().catalogue, list[Row](), _Open.rows

    def explained(opened: _Open, query: str, values: tuple[object, ...] = ()) -> list[Row]:
        plans.extend(rows(opened, f"EXPLAIN QUERY PLAN {query}", values))
        return rows(opened, query, values)

    monkeypatch.setattr(_Open, "rows", explained)
    catalogue.with_detail(key)
    assert [f"USING INDEX object_with_{key}" in str(plan[3]) for plan in plans] == [True]
