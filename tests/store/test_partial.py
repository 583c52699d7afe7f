"""Storing what changed gives what storing everything gives."""

from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.estate.rows import Observed
from adzeguard.store.estate_store import EstateStore
from tests.estates import DOMAIN, NOON, directory
from tests.store.conftest import New
from tests.store.test_store import FACTS, numbered

PEOPLE = ["ada", "ben", "cleo", "dora"]
GROUPS = ["Crew", "Quay", "Rota", "Domain Users"]


@st.composite
def moments(draw: st.DrawFn) -> dict[bytes, Observed]:
    """A directory at one moment, as observed objects by key."""
    people = draw(st.lists(st.sampled_from(PEOPLE), min_size=1, unique=True))
    groups = draw(st.lists(st.sampled_from(GROUPS), min_size=1, unique=True))
    names = [*people, *groups]
    members = {
        group: sorted(draw(st.sets(st.sampled_from([n for n in names if n != group])))) if len(names) > 1 else []
        for group in groups
    }
    whole = directory(
        people, members, distribution=draw(st.sets(st.sampled_from(groups), max_size=1)), disabled=people[:1]
    )
    rows = dict(whole.objects.all_rows())
    found = {}
    for i, row in rows.items():
        listed = tuple(rows[m].dn for m in whole.graph.direct_members(i).tolist())
        # The same name always has the same key; its SID must stay as well, whatever else is there.
        sid = f"{DOMAIN.sid}-{2000 + [*PEOPLE, *GROUPS].index(row.name)}"
        primary = 2000 + [*PEOPLE, *GROUPS].index(draw(st.sampled_from(groups))) if row.name in people else 0
        rights = draw(st.sampled_from([b"", b"one", b"two"]))
        found[row.key] = Observed(row._replace(sid=sid, primary_group_rid=primary, descriptor=rights), listed)
    return found


@given(st.lists(moments(), min_size=2, max_size=4))
def test_writing_the_difference_equals_writing_the_whole(new_store: New, course: list[dict[bytes, Observed]]) -> None:
    """Whatever comes, goes, changes or gets another primary group: a whole collection afterwards writes nothing."""
    from adzeguard.core.estate.assembly import assemble

    store = EstateStore(new_store())

    def whole(moment: dict[bytes, Observed]):
        seen = list(moment.values())
        return store.write(FACTS, assemble(DOMAIN, seen, store.ids_for([s.row.key for s in seen])), [])

    whole(course[0])
    for before, after in pairwise(course):
        changed = [seen for key, seen in after.items() if before.get(key) != seen]
        store.write_observed(FACTS, changed, [], removed=[key for key in before if key not in after], all_hosts=True)
        written = whole(after)

        assert (written.objects, written.groups) == (0, 0)


def test_the_numbers_of_objects_never_change(new_store: New) -> None:
    """What went and came back, and what others came between, keeps the number by which history knows it."""
    store = EstateStore(new_store())
    first = numbered(store, directory(["ada", "ben"], {"Crew": ["ada"]}))
    store.write(FACTS, first, [])
    store.write(FACTS, numbered(store, directory(["cleo"], {"Crew": ["cleo"]})), [])
    again = numbered(store, directory(["ada", "ben"], {"Crew": ["ada"]}))

    assert again.objects.by_name("ada") == first.objects.by_name("ada")
    assert store.at(NOON).id == 2
