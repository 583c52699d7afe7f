"""Of a long trail a question reads a part, and that part answers as the whole would."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.estate.principal import Principal
from adzeguard.core.trail.event import Event, Verb
from adzeguard.core.trail.history import direct_history, history_of
from adzeguard.store.connection import Database
from adzeguard.store.estate_store import EstateStore
from adzeguard.store.journal import Journal
from adzeguard.store.trail import Trail, trail_row
from adzeguard.workflows.ancestor_groups import leading
from adzeguard.workflows.history import Asked, answered, nested_now
from adzeguard.workflows.identities import Identities
from adzeguard.workflows.newest_first import NewestFirst
from adzeguard.workflows.past import Elsewhere, Past, all_known
from tests.estates import BASE, DOMAIN, NOON, directory
from tests.store.conftest import New
from tests.store.test_store import FACTS, numbered

GROUPS = ["Crew", "Deck", "Mast", "Keel"]
PEOPLE = ["ada", "ben"]
GONE = ["Wreck", "dora"]
"""A group and a person that were gone before the first collection."""
SIDS = {name: f"{DOMAIN.sid}-{number}" for number, name in enumerate([*PEOPLE, *GROUPS], 1200)}
Nesting = dict[str, list[str]]
By = dict[str, str]


@st.composite
def nestings(draw: st.DrawFn) -> Nesting:
    """Four groups, each with some of the others and of the people inside."""
    return {
        group: draw(st.lists(st.sampled_from([*PEOPLE, *(g for g in GROUPS if g != group)]), unique=True, max_size=2))
        for group in GROUPS
    }


def logged(name: str, form: str) -> tuple[str, str]:
    """What a log says of an object: by its DN alone, by its SID alone, or by its account name and SID."""
    if name in GONE or form == "dn":
        return f"CN={name},OU=People,{BASE}", ""
    return ("" if form == "sid" else rf"LOWMERE\{name}"), SIDS[name]


@st.composite
def logs(draw: st.DrawFn) -> list[Event]:
    """Changes of memberships, one in a quarter of an hour."""
    forms = st.sampled_from(["dn", "sid", "both"])
    events = []
    for number in range(draw(st.integers(4, 16))):
        group = logged(draw(st.sampled_from([*GROUPS, "Wreck"])), draw(forms))
        member = logged(draw(st.sampled_from([*GROUPS, *GROUPS, *PEOPLE, *GONE])), draw(forms))
        verb: Verb = draw(st.sampled_from(["added", "removed"]))
        by = draw(st.sampled_from(PEOPLE))
        at = NOON + timedelta(minutes=15 * number)
        events.append(Event(at, verb, by, SIDS[by], *group, *member))
    return events


def past_of(database: Database, collections: Sequence[Nesting], told: Sequence[Event]) -> Past:
    """A store with these collections, an hour apart, and a trail of these events."""
    store = EstateStore(database)
    for hours, groups in enumerate(collections):
        store.write(
            replace(FACTS, finished=NOON + timedelta(hours=hours)), numbered(store, directory(PEOPLE, groups)), []
        )
    trail = Trail(database)
    trail.add([trail_row(f"{number} {event}", event) for number, event in enumerate(told)], [], "log")
    return Past(store.load(), store, trail, Journal(database), database, NOON + timedelta(hours=len(collections) - 1))


def named(past: Past, name: str) -> Principal:
    """An object of the store."""
    return past.estate.principal(past.estate.catalogue.by_name(name)[0])


@given(st.lists(nestings(), min_size=1, max_size=3), logs(), st.sampled_from(GROUPS), st.integers(0, 240))
def test_what_ever_led_into_a_group_is_all_that_its_history_needs(
    new_store: New, collections: list[Nesting], told: list[Event], group: str, minutes: int
) -> None:
    """The same entries with the same ways as by everything that is known, also from a moment on."""
    past = past_of(new_store(), collections, told)
    about, names, elsewhere = named(past, group), Identities(past.estate, past.store), Elsewhere.of(past)
    for since in (None, NOON + timedelta(minutes=minutes)):
        whole = [
            one for one in all_known(past, elsewhere, names, since=since) if since is None or one.event.at >= since
        ]
        part = [
            one
            for one in all_known(past, elsewhere, names, leading([SIDS[group]], past, elsewhere, names, since), since)
            if since is None or one.event.at >= since
        ]
        assert len(part) <= len(whole)
        entries = history_of(SIDS[group], whole, nested_now(past, about, whole))
        assert history_of(SIDS[group], part, nested_now(past, about, part)) == entries


@pytest.mark.parametrize("between", ["Deck", "Mast"])
def test_a_group_that_led_in_once_is_followed(new_store: New, between: str) -> None:
    """It was put in and taken out again, by whatever it was called; who came into it meanwhile came in with it.

    Also where nothing was ever done to itself, and only to a group that is inside it.
    """
    told = [
        Event(NOON + timedelta(minutes=number), verb, "", "", *logged(group, form), *logged(member, "sid"))
        for number, (verb, group, form, member) in enumerate(
            [
                ("added", "Crew", "dn", between),
                ("added", "Deck", "both", "ben"),
                ("added", "Keel", "sid", "ada"),
                ("removed", "Crew", "sid", between),
            ]
        )
    ]
    past = past_of(new_store(), [{"Crew": [], "Deck": ["ben"], "Mast": ["Deck"], "Keel": ["ada"]}], told)
    rows = answered(Asked(named(past, "Crew")), past)
    assert [(row["verb"], row["member"]) for row in rows] == [
        ("removed", rf"LOWMERE\{between}"),
        ("added", r"LOWMERE\ben"),
        ("added", rf"LOWMERE\{between}"),
    ]
    assert rows[1]["via"] == " > ".join(rf"LOWMERE\{one}" for one in dict.fromkeys([between, "Deck"]))
    led = leading([SIDS["Crew"]], past, Elsewhere.of(past), Identities(past.estate, past.store))
    assert led == {SIDS[name] for name in ("Crew", "Deck", between)}


@given(st.lists(nestings(), min_size=1, max_size=3), logs(), st.sampled_from(PEOPLE))
def test_what_is_asked_about_somebody_is_what_stands_in_the_history_of_everything(
    new_store: New, collections: list[Nesting], told: list[Event], name: str
) -> None:
    """By whom, and about whom: the rows of everything that are about them, no more and no less."""
    past = past_of(new_store(), collections, told)
    somebody = named(past, name)
    everything = list(answered(Asked(), past))
    by = [row for row in everything if row["by_sid"] == SIDS[name]]
    whom = [row for row in everything if row["member_sid"] == SIDS[name]]
    assert list(answered(Asked(by=somebody), past)) == by
    assert list(answered(Asked(person=somebody), past)) == whom
    assert list(answered(Asked(by=somebody, person=somebody), past)) == [row for row in by if row in whom]


@given(
    st.lists(nestings(), min_size=1, max_size=3),
    logs(),
    st.tuples(st.none() | st.integers(-60, 240), st.none() | st.integers(-60, 240)),
    st.lists(st.slices(24), max_size=6),
)
def test_the_newest_events_are_those_of_all_that_is_known_however_it_is_looked_through(
    new_store: New,
    collections: list[Nesting],
    told: list[Event],
    minutes: tuple[int | None, int | None],
    looks: list[slice],
) -> None:
    """Page by page from the trail, forwards, backwards and again; counted before one is made."""
    past = past_of(new_store(), collections, told)
    names, elsewhere = Identities(past.estate, past.store), Elsewhere.of(past)
    since, until = (None if one is None else NOON + timedelta(minutes=one) for one in minutes)
    whole = [
        entry
        for entry in direct_history(reversed(all_known(past, elsewhere, names)))
        if (since is None or entry.known.event.at >= since) and (until is None or entry.known.event.at <= until)
    ]
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr("adzeguard.store.trail._FIRST_PAGE", 3)
        newest = NewestFirst(past, elsewhere, names, since, until)
        assert len(newest) == len(whole)
        for look in looks:
            assert newest[look] == whole[look]
        assert list(newest) == whole
