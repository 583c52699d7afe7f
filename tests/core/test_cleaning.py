"""What is stale, and what a review may bring back: held against plain definitions of both."""

from dataclasses import replace
from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.cleaning.reviewed import ANSWERS, Item, Review, checked_answers
from adzeguard.core.cleaning.stale.found import StaleInput
from adzeguard.core.cleaning.stale.groups import stale_groups
from adzeguard.core.cleaning.thresholds import Thresholds
from adzeguard.core.cleaning.uses import Named, uses_of
from adzeguard.core.errors import TamperedError
from tests.estates import NOON, directory, estate, rights_of

PEOPLE = ["ada", "ben", "cleo", "dan"]
GROUPS = ["Crew", "Deck", "Keel", "Mast"]
USUAL = Thresholds(timedelta(days=90), timedelta(days=30), timedelta(days=365))
Members = dict[str, list[str]]


def memberships(groups: list[str] = GROUPS) -> st.SearchStrategy[Members]:
    """Who is in which group, groups in each other and in rings among them."""
    return st.fixed_dictionaries(
        {group: st.lists(st.sampled_from([*PEOPLE, *GROUPS]), unique=True, max_size=3) for group in groups}
    )


def inside(members: Members, group: str) -> set[str]:
    """Everything inside a group, by nesting; the group itself where it is in a ring."""
    found, waiting = set[str](), list(members[group])
    while waiting:
        one = waiting.pop()
        if one not in found:
            found.add(one)
            waiting += members.get(one, [])
    return found


def expected(members: Members, disabled: set[str]) -> set[tuple[str, str]]:
    """What is stale about each group, by the words of the guide."""
    found = set()
    for group, listed in members.items():
        everybody = inside(members, group)
        people = everybody - set(GROUPS)
        if not listed:
            found.add((group, "no-members"))
        elif not people:
            found.add((group, "nobody-inside"))
        elif people <= disabled:
            found.add((group, "only-disabled"))
        if group in everybody:
            found.add((group, "in-a-ring"))
    return found


@given(memberships(), st.sets(st.sampled_from(PEOPLE)))
def test_a_group_is_stale_for_exactly_what_is_so(members: Members, disabled: set[str]) -> None:
    """Empty, holding nobody by any nesting, holding disabled accounts alone, or in a ring: all of it, and no more."""
    of = estate(directory(PEOPLE, members, disabled=disabled))
    looked = StaleInput(rights_of(of), None, (), (), (), None, NOON, USUAL)
    found = {(one.name.removeprefix("LOWMERE\\"), one.sort) for one in stale_groups(looked)}
    assert found == expected(members, disabled)


@given(memberships())
def test_every_group_that_lists_somebody_is_a_use_of_them(members: Members) -> None:
    """Directly, and no group that only leads there."""
    of = estate(directory(PEOPLE, members))
    for person in of.catalogue.principals(range(of.graph.size)).values():
        named = Named(rights_of(of), None, (), (), [person], looked_shares())
        listed = {use.where.removeprefix("LOWMERE\\") for use in uses_of(named) if use.what == "membership"}
        assert listed == {group for group, inside_it in members.items() if person.name in inside_it}


def looked_shares():
    """File shares of which none was read."""
    from adzeguard.core.access.shares import Shared

    return Shared()


ITEMS = [
    Item("group", f"Crew {n}", f"S-1-5-21-1-1-1-{n}", who, f"S-1-5-21-1-1-2-{n}", "user")
    for n, who in enumerate(PEOPLE)
]
REVIEW = Review("R1", "owner", NOON, NOON, "ada", tuple(ITEMS))


def rows_of(review: Review) -> list[dict[str, str]]:
    """The rows of a form as it was written, nothing answered yet."""
    return [{"item": item.id, **item.shown, "answer": "", "reason": ""} for item in review.items]


@given(st.lists(st.sampled_from(["", *ANSWERS]), min_size=4, max_size=4), st.randoms())
def test_answers_come_back_in_any_order_and_rows_may_be_missing(answers: list[str], lot) -> None:
    """Each is the answer of its own item, by its identity."""
    rows = [row | {"answer": a, "reason": "left" if a else ""} for row, a in zip(rows_of(REVIEW), answers, strict=True)]
    lot.shuffle(rows)
    rows = rows[: lot.randrange(len(rows) + 1)]
    found = checked_answers(REVIEW, rows, [str(n) for n in range(len(rows))])
    assert {key: one.answer for key, one in found.items()} == {r["item"]: r["answer"] for r in rows if r["answer"]}


@given(st.sampled_from(["item", *ITEMS[0].shown]), st.integers(0, 3), st.text(min_size=1, max_size=4))
def test_any_other_cell_that_was_changed_is_refused(key: str, at: int, more: str) -> None:
    """Whatever was written there, by a character."""
    rows = rows_of(REVIEW)
    rows[at][key] += more
    with pytest.raises(TamperedError):
        checked_answers(REVIEW, rows, ["1"] * len(rows))


def test_a_line_that_stands_twice_and_an_unknown_answer_are_refused() -> None:
    """And to take somebody out wants a reason."""
    rows = rows_of(REVIEW)
    for wrong in ([*rows, rows[0]], [rows[0] | {"answer": "yes"}], [rows[0] | {"answer": "take out"}]):
        with pytest.raises(TamperedError):
            checked_answers(replace(REVIEW), wrong, ["1"] * len(wrong))
