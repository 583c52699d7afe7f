"""Effective membership, held against a search that is too simple to be wrong."""

from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.estate.counting import effective_people_counts
from adzeguard.core.estate.membership import DirectChange, MembershipGraph
from tests.estates import graphs

Drawn = tuple[MembershipGraph, dict[int, set[int]], dict[int, bool]]


def levels(members: dict[int, set[int]], security: dict[int, bool], start: int) -> dict[int, int]:
    """How many steps each effective member is away from the group; the group itself when a ring leads back."""
    found: dict[int, int] = {}
    frontier, depth = {start}, 0
    while frontier:
        depth += 1
        inside = {m for g in frontier for m in members[g]}
        # A security group lets nothing through a distribution group inside it, and does not hold it either.
        inside = {m for m in inside if not (security[start] and not security.get(m, True))}
        fresh = {m for m in inside if m not in found}
        found |= dict.fromkeys(fresh, depth)
        frontier = {m for m in fresh if m in members and m != start}
    return found


@given(graphs())
def test_effective_members_are_all_that_any_chain_reaches(drawn: Drawn) -> None:
    """Effective members and the length of each proof equal those of a plain search, rings included."""
    graph, members, security = drawn
    for group in members:
        expected = levels(members, security, group)
        expansion = graph.expand(group)

        assert set(expansion.members.tolist()) == set(expected)
        for member, depth in expected.items():
            proof = expansion.proof(member)
            assert proof is not None
            assert len(proof) == depth + 1
            assert all(low in members[high] for high, low in pairwise(proof))
        outside = set(range(60)) - set(expected)
        assert all(expansion.proof(other) is None for other in outside)


@given(graphs())
def test_effective_groups_are_the_groups_whose_effective_member_one_is(drawn: Drawn) -> None:
    """Looked at from below, each object is in exactly those security groups that hold it seen from above."""
    graph, members, security = drawn
    inside = {g: set(levels(members, security, g)) for g in members if security[g]}
    for member in range(60):
        if security.get(member, True):
            expected = {g for g, held in inside.items() if member in held}
            assert set(graph.effective_groups(member).tolist()) == expected


@given(graphs(), st.lists(st.integers(0, 59), max_size=12))
def test_the_groups_of_many_are_those_of_each(drawn: Drawn, many: list[int]) -> None:
    """Climbing from all of them at once gives what climbing from each gives, groups and strangers among them."""
    graph, _, _ = drawn
    together = graph.effective_groups_of(many)
    assert [groups.tolist() for groups in together] == [graph.effective_groups(one).tolist() for one in many]


@given(graphs())
def test_counts_of_all_groups_equal_the_count_of_each(drawn: Drawn) -> None:
    """Counting every group at once gives what expanding each gives."""
    graph, _, _ = drawn
    one_by_one = [len(graph.expand(group).people) for group in graph.group_ids.tolist()]

    assert effective_people_counts(graph).tolist() == one_by_one


@given(graphs(), st.data())
def test_masks_tell_which_groups_each_object_reaches(drawn: Drawn, data: st.DataObject) -> None:
    """Bit i of a mask is set exactly for the effective members of group i."""
    graph, members, security = drawn
    privileged = data.draw(
        st.lists(st.sampled_from([g for g in members if security[g]]), max_size=5, unique=True)
        if any(security.values())
        else st.just([])
    )
    masks = graph.privilege_masks(privileged)
    for bit, group in enumerate(privileged):
        inside = set(levels(members, security, group))
        holders = {i for i in range(60) if int(masks[i]) >> bit & 1 and security.get(i, True)}
        assert holders == inside


@given(graphs(), st.data())
def test_a_changed_graph_equals_one_built_anew(drawn: Drawn, data: st.DataObject) -> None:
    """Adding and removing members of a few groups gives the graph that would be built from the new members."""
    graph, members, security = drawn
    changes = {}
    after = {g: set(m) for g, m in members.items()}
    for group in data.draw(st.sets(st.sampled_from(list(members)), max_size=4)):
        gained = data.draw(st.frozensets(st.integers(0, 59), max_size=4))
        lost = data.draw(st.frozensets(st.sampled_from(sorted(members[group]) or [0]), max_size=3)) - gained
        changes[group] = DirectChange(gained, lost)
        after[group] = (after[group] | gained) - lost
    changed = graph.with_changes(changes)
    for group in members:
        assert set(changed.expand(group).members.tolist()) == set(levels(after, security, group))


def test_a_member_by_very_many_ways_counts_once() -> None:
    """Two hundred and fifty-six groups that hold the same person, all inside one, twice over: numbers count over."""
    inner = range(1, 257)
    members = {0: [*inner, 257], 257: [*inner], **{group: [300] for group in inner}}
    graph = MembershipGraph.build(301, dict.fromkeys(members, True), members, {})

    assert set(effective_people_counts(graph).tolist()) == {1}
