"""Who the tool says could get into a group, against who really gets in by trying on the real server."""

import pytest

from adzeguard.directory.schema import standard_schema
from tests.long_tests import LONG, part_of
from tests.program import Program
from tests.server.server import Server
from tests.server.trying import Attacker, differing, make

pytestmark = pytest.mark.server
SEEDS = range(1, 11) if LONG else (3,)


@pytest.mark.parametrize("seed", SEEDS)
def test_reach_names_exactly_those_who_really_get_in_by_trying(server: Server, workspace: Program, seed: int) -> None:
    """25 people in 14 groups and 6 OUs with rights and denials by lot: each who tries tries everything there is."""
    domain = make(server, standard_schema(), seed)
    workspace("collect", "--full")
    ways = {group: _reach(workspace, group) for group in domain.groups}
    trying = part_of(domain.people, 8)
    said = {group: ways[group].keys() & set(trying) for group in domain.groups}
    admin = domain.bound("Administrator")
    got: dict[str, set[str]] = {group: set() for group in domain.groups}
    for person in trying:
        for group in Attacker(domain, admin, person).gets_into():
            got[group].add(person)
        assert list(differing(domain, admin)) == []
    admin.close()

    wrong = [(g, p, ways[g].get(p, "really gets in")) for g in domain.groups for p in said[g] ^ got[g]]
    assert wrong == []
    reached = sum(len(people - domain.inside(group)) for group, people in got.items())
    assert reached > len(trying) // 3


def _reach(workspace: Program, group: str) -> dict[str, str]:
    """Who is said to reach it, and how."""
    return {row["name"]: row["sentence"] for row in workspace("reach", rf"LOWMERE\{group}", "--format", "json").json}
