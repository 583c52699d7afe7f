"""Pictures: each is drawn, says what the commands say, and is the same for the same."""

import re

import pytest

from tests.program import Program

ADMINS = r"LOWMERE\Domain Admins"
DRAWN = {
    "headcount": ("Domain Admins", "Break Glass", "accounts inside"),
    "findings": ("critical", "medium", "findings"),
    "ages": ("173", "never", "disabled"),
    "hosts": ("orla.fenn", "22 of 23", "Ticket Kiosks"),
}


@pytest.fixture
def checked(demo: Program) -> Program:
    """The demo, checked once."""
    assert demo("check").code == 3
    return demo


def words(program: Program, *arguments: str) -> str:
    """The text that stands in a picture, which is drawn twice and is the same."""
    for name in ("one.svg", "two.svg"):
        done = program("picture", *arguments, "--output", name)
        assert done.code == 0, done.err
    text = (program.folder / "one.svg").read_text()
    assert (program.folder / "two.svg").read_text() == text
    return " ".join(re.findall(r"<!-- (.*?) -->", text))


@pytest.mark.parametrize("kind", list(DRAWN))
def test_each_picture_says_what_it_shows(checked: Program, kind: str) -> None:
    """Its figures, names and the words of its axes stand in it."""
    said = words(checked, kind)
    assert all(word in said for word in DRAWN[kind]), said


def test_how_a_group_is_nested_and_the_way_in(checked: Program) -> None:
    """Every group that leads in, and the chain of somebody."""
    said = words(checked, "nesting", r"BUILTIN\Administrators", "--focus", "orla.fenn")
    for name in ("orla.fenn", "Night Watch (1)", "Directory Stewards (1)", "Domain Admins (4)", "the way in"):
        assert name in said, said


def test_reach_with_its_cut(checked: Program) -> None:
    """Who could become a member, by what, and what the smallest cut takes away."""
    said = words(checked, "reach", ADMINS)
    for name in ("hedda.morrow", "Booking Office Leads", "could take over, by a right", "the smallest cut"):
        assert name in said, said


def test_reach_over_hosts_shows_them_and_who_logged_on(checked: Program) -> None:
    """The host on the way, who administers it, and whom it saw; without the option it is not there."""
    said = words(checked, "reach", ADMINS, "--over-hosts")
    for name in ("KIOSK-12", "Kiosk Stewards", "isolde.varn.adm", "saw a logon of", "the smallest cut"):
        assert name in said, said
    assert "KIOSK-12" not in words(checked, "reach", ADMINS)


def test_two_hundred_groups_do_not_stand_on_each_other(tmp_path) -> None:
    """Each in a place of its own, those that lead to the same beside each other."""
    from adzeguard.core.views.pictures import Arrow, Drawing, Node
    from adzeguard.report.pictures import _laid_out, drawing

    nodes = [Node(str(n), f"Group {n}", "group") for n in range(200)]
    arrows = [Arrow(str(n), str((n - 1) // 3)) for n in range(1, 200)] + [Arrow("0", "150"), Arrow("7", "7")]
    what = Drawing("Nested", "0", nodes, arrows)
    places = _laid_out(what)
    assert len(set(places.values())) == 200
    drawing(what, tmp_path / "nested.png")
    assert (tmp_path / "nested.png").stat().st_size > 10_000


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (("ages", "--output", "x.doc"), "no picture"),
        (("nesting", "--output", "x.png"), "wants a GROUP"),
        (("ages", ADMINS, "--output", "x.png"), "wants no group"),
        (("nesting", ADMINS, "--over-hosts", "--output", "x.png"), "--over-hosts is for a picture of reach"),
        (("reach", ADMINS, "--focus", "roan.pell", "--output", "x.png"), "--focus is for a picture of nesting"),
    ],
)
def test_what_cannot_be_drawn_is_said(demo: Program, arguments: tuple[str, ...], says: str) -> None:
    """In one line, and nothing is written."""
    done = demo("picture", *arguments)
    assert (done.code, says in done.err) == (2, True), done.err
    assert not list(demo.folder.glob("x.*"))
