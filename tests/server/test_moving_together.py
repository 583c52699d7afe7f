"""Whoever is two at once: one who may move somebody, and one who has more where they go. Tried on the real server."""

from contextlib import closing

import pytest

from adzeguard.core.errors import AdzeguardError
from adzeguard.directory.port import Modification
from tests.program import Program
from tests.server.planting import Place, give, planting
from tests.server.server import PASSWORD, Server

pytestmark = pytest.mark.server
NAME, LEAF = "bf967a0e-0de6-11d0-a285-00aa003049e2", "bf96793f-0de6-11d0-a285-00aa003049e2"
RESET, USER = "00299570-246d-11d0-a768-00aa006e0529", "bf967aba-0de6-11d0-a285-00aa003049e2"
CROWN, MOVER, TAKER = "crown.of.two", "moves.them", "helps.there"
BOTH, MOVES, TAKES, NEITHER = "is.both", "near.mover", "near.taker", "near.nobody"
RESETS = f"(OA;;CR;{RESET};;{{}})"


def resets(server: Server, place: Place, who: str, whom: str) -> bool:
    """Whether the server lets somebody give somebody else a password."""
    quoted = f'"{PASSWORD}"'.encode("utf-16-le")
    [found] = server.ask(f"(sAMAccountName={whom})", "dn")
    try:
        with closing(server.bound(who)) as mine:
            mine.modify(found["dn"][0], [Modification("replace", "unicodePwd", (quoted,))])
    except AdzeguardError:
        return False
    return True


def told(program: Program) -> dict[str, str]:
    """By name who has a way into the group that is planted, and how."""
    assert program("collect").code in (0, 4)
    rows = program("reach", "Crown Crew", "--format", "json").json
    return {row["name"]: row["sentence"] for row in rows if row["name"] in (MOVER, TAKER, BOTH, MOVES, TAKES, NEITHER)}


def test_whoever_is_both_is_told_and_does_it(server: Server, workspace: Program) -> None:
    """The one who resets both passwords, and nobody who resets one; the server lets each step, and none without."""
    with planting(server, "Two at once") as place:
        for one in (CROWN, MOVER, TAKER, BOTH, MOVES, TAKES, NEITHER):
            place.person(one)
        place.group("Crown Crew", CROWN)
        harbour = f"OU=Open Harbour,{place.dn}"
        place.admin.add(harbour, {"objectClass": [b"organizationalUnit"]})
        place.give(CROWN, {MOVER: f"(A;;SD;;;{{}})(OA;;WP;{NAME};;{{}})(OA;;WP;{LEAF};;{{}})"})
        place.give(MOVER, {BOTH: RESETS} | {MOVES: RESETS})
        place.give(TAKER, {BOTH: RESETS} | {TAKES: RESETS})
        there = {MOVER: f"(OA;;CC;{USER};;{{}})", TAKER: f"(OA;CIIO;CR;{RESET};{USER};{{}})"}
        give(place.admin, harbour, {place.sids[who]: text for who, text in there.items()})
        found = told(workspace)
        assert found.keys() == {BOTH}
        says = rf"LOWMERE\{BOTH} may move LOWMERE\{CROWN} as LOWMERE\{MOVER} to where LOWMERE\{TAKER} has more, which"
        assert found[BOTH].startswith(says)
        assert not resets(server, place, TAKER, CROWN)
        assert resets(server, place, BOTH, MOVER)
        with closing(server.bound(MOVER)) as mine:
            mine.rename(place.dn_of(CROWN), f"CN={CROWN}", harbour)
        assert resets(server, place, BOTH, TAKER)
        assert resets(server, place, TAKER, CROWN)
        assert not any(resets(server, place, one, CROWN) for one in (BOTH, MOVES, TAKES, NEITHER))
        assert {MOVES, NEITHER}.isdisjoint(told(workspace))
