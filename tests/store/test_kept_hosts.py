"""The copy of what holds now of hosts says what the store says, whatever happened to either."""

import tempfile
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.estate.hosts import Host, HostState, LocalGroup
from adzeguard.core.identity import Sid
from adzeguard.core.wellknown import ADMINISTRATORS, EVERYONE
from adzeguard.store.estate_store import EstateStore
from tests.estates import directory
from tests.store.conftest import New, in_folder
from tests.store.test_alike_states import random_states
from tests.store.test_present import HARMS, harm
from tests.store.test_store import FACTS, numbered

PEOPLE = ("ada", "ben", "cleo", "dora")
_TEXTS_OF_POSTGRES = random_states().filter(lambda state: "\\x00" not in repr(state))
STATES = st.lists(st.none() | _TEXTS_OF_POSTGRES, min_size=len(PEOPLE), max_size=len(PEOPLE))


def as_hosts(store: EstateStore, states: list[HostState | None], trouble: str = "") -> list[Host]:
    """One host for each object of the directory, which stand for computers here."""
    catalogue = store.load().catalogue
    known = sorted(catalogue.principals(catalogue.by_name(name)[0] for name in PEOPLE).values(), key=lambda p: p.name)
    return [
        Host(p.id, p.name, p.dn, state, trouble, str(p.sid), source="hosts")
        for p, state in zip(known, states, strict=True)
    ]


def told(hosts: list[Host]) -> list[tuple[object, ...]]:
    """What hosts say, with the states taken apart."""
    return [(h.id, h.name, h.dn, h.state, h.trouble, h.sid, h.source, h.dns_name, h.is_of_directory) for h in hosts]


@given(st.lists(st.tuples(STATES, st.sampled_from(HARMS), st.sampled_from(("", "off"))), min_size=1, max_size=4))
def test_the_copy_of_hosts_says_what_the_store_says(
    new_store: New, course: list[tuple[list[HostState | None], str, str]]
) -> None:
    """Whatever hosts say and whatever is done to the file in between; who administers them is the same by it."""
    database = new_store()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "present"
        store = EstateStore(database, path)
        store.write(FACTS, numbered(store, directory([*PEOPLE], {"Crew": ["ada"]})), [])
        for states, how, trouble in course:
            harm(path.with_name("present-hosts"), how)
            store = EstateStore(database, path)
            store.write_observed(FACTS, [], as_hosts(store, states, trouble), all_hosts=True)
            estate = EstateStore(database, path).load()
            stored = store.load_hosts()
            assert told(list(estate.hosts)) == told(stored)
            for sid in {sid for host in stored if host.state for group in host.state.groups for sid in group.members}:
                naming = {h.id for h in stored if h.state and any(sid in group.members for group in h.state.groups)}
                own = {h.id for h in stored if h.state and sid.authority == h.state.machine_sid}
                assert estate.hosts.naming([sid]) == naming - own
            one_by_one = replace(estate, hosts=stored).administrators
            for host in stored:
                assert set(estate.administrators.of(host.id).tolist()) == set(one_by_one.of(host.id).tolist())
                assert estate.administrators.has_everybody(host.id) == one_by_one.has_everybody(host.id)


def with_administrators(*sids: str) -> HostState:
    """A host that these administer."""
    members = frozenset(Sid(sid) for sid in sids)
    return HostState(Sid("S-1-5-21-7-7-7"), (), (LocalGroup("administrators", ADMINISTRATORS, members),))


@pytest.fixture
def stored(tmp_path: Path) -> EstateStore:
    """A store with four hosts, and the copy beside it."""
    store = EstateStore(in_folder(tmp_path), tmp_path / "present")
    store.write(FACTS, numbered(store, directory([*PEOPLE], {"Crew": ["ada"]})), [])
    return store


def test_who_administers_hosts_is_told_by_their_ids(stored: EstateStore) -> None:
    """Those that the directory has; everybody stands apart, who is nobody there is left out."""
    catalogue = stored.load().catalogue
    ada = catalogue.principals(catalogue.by_name("ada"))[catalogue.by_name("ada")[0]]
    unknown = f"{str(ada.sid).rpartition('-')[0]}-999999"
    states = [with_administrators(str(ada.sid), unknown), with_administrators(EVERYONE), None, with_administrators()]
    stored.write_observed(FACTS, [], as_hosts(stored, states), all_hosts=True)
    estate = stored.load()
    found = estate.administrators
    assert [found.of(host.id).tolist() for host in estate.hosts] == [[ada.id], [], [], []]
    assert [found.has_everybody(host.id) for host in estate.hosts] == [False, True, False, False]


def test_a_host_that_is_called_otherwise_is_so_in_the_copy(stored: EstateStore) -> None:
    """Its name and place are the directory's, which change without the host's saying anything."""
    stored.write_observed(FACTS, [], as_hosts(stored, [with_administrators()] * 4), all_hosts=True)
    assert [host.name for host in stored.load().hosts] == sorted(PEOPLE)
    again = numbered(stored, directory(["adam", *PEOPLE[1:]], {"Crew": ["adam"]}))
    stored.write(FACTS, again, list(stored.load_hosts()))
    assert told(list(stored.load().hosts)) == told(stored.load_hosts())


@pytest.mark.parametrize("how", [one for one in HARMS if one != "none"])
def test_a_harmed_copy_is_made_anew_by_the_next_collection(stored: EstateStore, tmp_path: Path, how: str) -> None:
    """Also where every host says what it said before, so that the file would only be written again."""
    hosts = as_hosts(stored, [with_administrators(EVERYONE)] * len(PEOPLE))
    stored.write_observed(FACTS, [], hosts, all_hosts=True)
    harm(tmp_path / "present-hosts", how)
    again = EstateStore(stored.database, tmp_path / "present")
    again.write_observed(FACTS, [], hosts, all_hosts=True)
    assert told(list(again.load().hosts)) == told(stored.load_hosts())
