"""Ways into privileged groups: foreseen before they are made, named, and then found to stand as foreseen."""

import re

import pytest

from tests.program import Program

ADMINS = r"LOWMERE\Domain Admins"


def behind(program: Program) -> set[str]:
    """Who reaches Domain Admins."""
    return {row["qualified_name"] for row in program("reach", ADMINS, "--format", "json").json}


@pytest.mark.parametrize(
    ("before", "change"),
    [
        ([], ["group", "add", "Night Watch", "Timetable Editors"]),
        ([], ["grant", "give", "Galley Crew", "rights", "--over", "OU=Groups", "--this"]),
        ([], ["grant", "give", "Crew Rota", "group-membership", "--over", "OU=Groups"]),
        (
            [["grant", "give", "Crew Rota", "group-membership", "--over", "OU=Retired"]],
            ["move", "CN=Night Watch,OU=Groups", "OU=Retired"],
        ),
    ],
    ids=["nested", "rights-over-an-ou", "handed-down", "moved"],
)
def test_who_will_reach_a_privileged_group_is_foreseen_and_named(
    demo: Program, before: list[list[str]], change: list[str]
) -> None:
    """A change that opens a way is refused until the number is named, and exactly so many reach the group after it."""
    for arguments in before:
        assert demo(*arguments, "--yes").code == 0
    stood = behind(demo)
    refused = demo(*change, "--yes")
    named = re.search(r"Give --new-reach (\d+) if", refused.err)
    assert (refused.code, bool(named)) == (1, True), refused.err + refused.out
    count = int(named.group(1)) if named else 0
    assert demo(*change, "--yes", "--new-reach", str(count + 1)).code == 1
    done = demo(*change, "--yes", "--new-reach", str(count))
    told = re.search(r"Gain a way into LOWMERE\\Domain Admins[^(]*\((\d+)\)", done.out)
    assert (done.code, bool(told)) == (0, True), done.err

    assert 0 < len(behind(demo) - stood) == int(told.group(1) if told else 0) <= count
    assert demo("undo", "--last", "--yes").code == 0
    assert behind(demo) == stood


def test_what_everybody_gets_is_named_and_what_shuts_out_keepers_is_refused(demo: Program) -> None:
    """A grant to everybody needs the number of users; a denial that leaves no keeper the right is never made."""
    everybody = r"well-known\everyone"
    given = demo("grant", "give", everybody, "write:info", "--over", "OU=Retired", "--yes")
    assert "write info, over OU=Retired and below, which is everybody (183 users). Give --new-reach 183" in given.err
    denied = demo("grant", "deny", everybody, "read-all", "--over", "OU=Retired", "--yes", "--new-reach", "183")
    assert (denied.code, "no keeper could do that any more" in denied.err) == (1, True), denied.err
    assert demo("grant", "deny", "Galley Crew", "read-all", "--over", "OU=Retired", "--yes").code == 0
