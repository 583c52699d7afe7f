"""What newcomers type first is answered, or the right line is said."""

import pytest

from tests.conftest import Program


def test_who_of_a_host_shows_its_administrators(demo: Program) -> None:
    """As --host does, and says so; of a person it says where to look."""
    by_name = demo("who", "KIOSK-07", "--format", "json")
    assert by_name.json == demo("who", "--host", "KIOSK-07", "--format", "json").json
    assert "is a host" in by_name.err
    of_person = demo("who", "orla.fenn")
    assert (of_person.code, "adzeguard show orla.fenn" in of_person.err) == (2, True)


def test_grant_that_begins_with_a_name(demo: Program) -> None:
    """The right line is said, with what was typed in its place."""
    said = demo("grant", "Service Desk", "password-help", "--over", "OU=Quay")
    assert said.code == 2
    assert "adzeguard grant give 'Service Desk' password-help --over OU=Quay" in " ".join(said.err.split())
    assert "--over OBJECT" in demo("grant", "orla.fenn", "everything").err


@pytest.mark.parametrize("scope", ["domainlocal", "Domain Local", "DOMAIN_LOCAL", "domain-local"])
def test_a_scope_in_any_spelling(demo: Program, scope: str) -> None:
    """Is taken; another word is refused with those there are."""
    made = demo("group", "create", "Tide Watch", "--in", "OU=Groups", "--scope", scope, "--yes")
    assert made.code == 0, made.err
    assert demo("show", "Tide Watch", "--format", "json").json["group_scope"] == "domain local"
    refused = demo("group", "set", "Tide Watch", "--scope", "local", "--yes")
    assert (refused.code, "universal" in refused.err) == (2, True)


@pytest.mark.parametrize(
    "text",
    [
        "group;member\nFirst Aiders;roan.pell\n",
        "\ufeffgroup,member\r\nFirst Aiders,roan.pell\r\n",
        "Group,Member,Until\nFirst Aiders,LOWMERE\\roan.pell,\nFirst Aiders,orla.fenn,2020-01-01\n",
    ],
)
def test_rosters_as_spreadsheets_write_them(demo: Program, text: str) -> None:
    """With semicolons, a byte-order mark, bare names that are clear, and members whose time is over."""
    (demo.folder / "charter/charter.yaml").write_text(
        "charter: 1\nrules:\n  - {id: aid, roster: aid.csv, response: mend}\n"
    )
    (demo.folder / "charter/aid.csv").write_text(text)
    assert demo("enact", "--yes").code == 0
    assert demo("show", "First Aiders", "--format", "json").json["members"] == [r"LOWMERE\roan.pell"]


@pytest.mark.parametrize(
    ("row", "says"),
    [
        ("First Aiders,Kiosk Stewards,soon", "'soon' is no day"),
        ("First Aiders,nobody.at.all,", "'nobody.at.all' does not say where it stands"),
        ("First Aiders,roan.pell", "a last day or nothing"),
    ],
)
def test_rosters_that_are_none(demo: Program, row: str, says: str) -> None:
    """Say on which line what is wrong, and change nothing."""
    (demo.folder / "charter/charter.yaml").write_text(
        "charter: 1\nrules:\n  - {id: aid, roster: aid.csv, response: mend}\n"
    )
    (demo.folder / "charter/aid.csv").write_text(f"group,member,until\n{row}\n")
    told = demo("charter", "lint")
    assert told.code != 0
    assert says in " ".join((told.out + told.err).split())
    assert "aid.csv:2" in told.out + told.err
