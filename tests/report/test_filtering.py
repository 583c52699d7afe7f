"""A part of a listing: rows, their order and columns."""

import json
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.errors import UsageError
from adzeguard.core.views.table import Column, Noted, Table
from adzeguard.report.filtering import Filtering
from adzeguard.report.renderers import render

NOW = datetime(2026, 11, 26, tzinfo=UTC)
COLUMNS = (
    Column("name", "Who"),
    Column("what", "What", kind="noted", for_people=True),
    Column("size"),
    Column("at", "When", kind="moment"),
)


def table(*rows: tuple[str, str, int | None, int]) -> Table:
    """A table of names, what they are, sizes and ages in hours."""
    shown = [
        {"name": name, "what": Noted(what, f"rule-{what}"), "size": size, "at": NOW - timedelta(hours=hours)}
        for name, what, size, hours in rows
    ]
    return Table(shown, COLUMNS, note=f"{len(shown)} in all")


WHOLE = table(("Orla", "user", 10, 3), ("Quay", "group", None, 2), ("Aft", "group", 9, 1))


def names(narrowing: Filtering, of: Table = WHOLE) -> list[str]:
    """Whom a part names, in its order."""
    return [str(row["name"]) for row in narrowing.of(of).rows]


def test_rows_by_text() -> None:
    """In one column by key or heading, with what is noted below it, or in any; several texts narrow together."""
    assert names(Filtering(where=("what=GROUP",))) == ["Quay", "Aft"]
    assert names(Filtering(where=("What=rule-user",))) == ["Orla"]
    assert names(Filtering(where=("Who=o",))) == ["Orla"]
    assert names(Filtering(where=("2026-11-25T22",))) == ["Quay"]
    assert names(Filtering(where=("what=group", "name=a"))) == ["Quay", "Aft"]
    assert names(Filtering(where=("size=9", "what=user"))) == []


def test_numbers_and_times_are_sorted_as_such() -> None:
    """Nine before ten, and nothing last; a dash turns it round."""
    assert names(Filtering(sort="size")) == ["Aft", "Orla", "Quay"]
    assert names(Filtering(sort="at")) == ["Orla", "Quay", "Aft"]
    assert names(Filtering(sort="-When")) == ["Aft", "Quay", "Orla"]
    assert names(Filtering(sort="who", limit=2)) == ["Aft", "Orla"]


def test_columns_that_are_asked_for_are_shown_everywhere() -> None:
    """In their order, with their headings for people, also those that only programs see otherwise."""
    part = Filtering(columns=("size", "Who")).of(WHOLE)
    assert part.keys == ["size", "name"]
    assert "Size" in render(part, "table").decode().splitlines()[0]
    assert render(part, "csv").decode().splitlines()[:2] == ["size,name", "10,Orla"]
    first = render(part, "jsonl").decode().splitlines()[0]
    assert json.loads(first) == {"size": 10, "name": "Orla"}


def test_what_is_left_out_is_said() -> None:
    """A part says of how many rows it is one; a whole says what it always does."""
    assert Filtering(limit=2).of(WHOLE).note == "2 of 3 rows"
    assert Filtering(limit=9).of(WHOLE).note == "3 in all"
    assert "No row is like that." in render(Filtering(where=("nobody",)).of(WHOLE), "table").decode()


@pytest.mark.parametrize("wrong", [Filtering(columns=("nam",)), Filtering(sort="-nam"), Filtering(where=("nam=x",))])
def test_a_column_that_is_none(wrong: Filtering) -> None:
    """Is an error that says what it may have meant, and which there are."""
    with pytest.raises(UsageError, match="did you mean name") as told:
        wrong.of(WHOLE)
    assert "name, what, size, at" in told.value.way_out


@given(
    st.lists(
        st.tuples(
            st.text(max_size=5), st.sampled_from(["user", "group"]), st.none() | st.integers(), st.integers(0, 99)
        )
    ),
    st.integers(1, 5),
)
def test_a_part_is_of_the_whole(rows: list[tuple[str, str, int | None, int]], limit: int) -> None:
    """Sorted it has the same rows; limited, the first of those; every row that is left holds the text."""
    whole = table(*rows)
    for sort in ("name", "-size", "at", "what"):
        ordered = Filtering(sort=sort).of(whole).rows
        assert sorted(map(id, ordered)) == sorted(map(id, whole.rows))
        assert [id(row) for row in Filtering(sort=sort, limit=limit).of(whole).rows] == [id(r) for r in ordered[:limit]]
    left = Filtering(where=("what=user",)).of(whole).rows
    assert len(left) == sum(what == "user" for _, what, _, _ in rows)
