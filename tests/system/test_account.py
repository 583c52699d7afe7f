"""Accounts are disabled, enabled and given an end by hand, in the directory and on hosts."""

import re

import pytest

from tests.program import Program

DISABLED = 2
"""The bit of userAccountControl ([MS-ADTS] 2.2.16)."""
NEVER = "0"


def stands(program: Program, name: str, attribute: str) -> str:
    """The value of an attribute in the file that is the directory here."""
    entries = (program.folder / "lowmere.ldif").read_text().split("\n\n")
    [entry] = [one for one in entries if f"\nsAMAccountName: {name}\n" in f"{one}\n"]
    found = re.search(rf"^{attribute}: (.*)$", entry, re.MULTILINE)
    return found[1] if found else ""


def is_disabled(program: Program, name: str) -> bool:
    """Whether the directory has an account disabled."""
    return bool(int(stands(program, name, "userAccountControl")) & DISABLED)


def undo_all(program: Program) -> None:
    """Undo each enactment, the last one first."""
    begun = [row["enactment"] for row in program("journal", "--format", "json").json if row["kind"] == "begin"]
    for enactment in reversed(begun):
        assert program("undo", enactment, "--yes").code == 0


def test_an_account_is_disabled_enabled_and_undone(demo: Program) -> None:
    """The bit in the directory is turned, and turned back; what is so already is left out."""
    assert demo("account", "disable", "roan.pell", "--why", "lost badge", "--yes").code == 0
    assert is_disabled(demo, "roan.pell")
    again = demo("account", "disable", "roan.pell", "--yes")
    assert (again.code, "is disabled already" in again.out) == (0, True)
    assert demo("account", "enable", "roan.pell", "--yes").code == 0
    assert not is_disabled(demo, "roan.pell")
    assert demo("undo", "--last", "--yes").code == 0
    assert is_disabled(demo, "roan.pell")


def test_an_account_expires_and_is_let_live_on(demo: Program) -> None:
    """At that moment, in steps of 100 nanoseconds since 1601; undone, the value before stands."""
    before = stands(demo, "roan.pell", "accountExpires")
    made = demo("account", "expire", "roan.pell", "--until", "2027-01-02T00:00+00:00", "--yes")
    assert (made.code, r"let LOWMERE\roan.pell expire on 2027-01-02 00:00 UTC" in made.out) == (0, True)
    assert stands(demo, "roan.pell", "accountExpires") == str((1_798_848_000 + 11_644_473_600) * 10**7)
    assert demo("account", "expire", "roan.pell", "--never", "--yes").code == 0
    assert stands(demo, "roan.pell", "accountExpires") == NEVER
    undo_all(demo)
    assert stands(demo, "roan.pell", "accountExpires") == before
    assert demo("account", "expire", "roan.pell", "--until", "tomorrow", "--yes").code == 0


@pytest.mark.parametrize("how", [("disable",), ("expire", "--until", "2w")], ids=" ".join)
def test_the_last_keeper_is_neither_disabled_nor_given_an_end(demo: Program, how: tuple[str, ...]) -> None:
    """Refused in one line that names the group which would be left without one, and nothing is written."""
    keepers = {row["name"] for row in demo("who", "Domain Admins", "--format", "json").json}
    others = keepers - {r"LOWMERE\Administrator"}
    for other in sorted(others):
        demo("account", "disable", other.partition("\\")[2], "--yes")
    refused = demo("account", how[0], "Administrator", *how[1:], "--yes")
    assert (refused.code, "would be left without a keeper" in refused.err) == (1, True), refused.err
    assert not is_disabled(demo, "Administrator")
    assert stands(demo, "Administrator", "accountExpires") in ("", NEVER, str(2**63 - 1))


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["disable", "Domain Admins"], "is a group, and no account"),
        (["expire", "roan.pell"], "say when: --until TIME, or --never"),
        (["expire", "roan.pell", "--never", "--until", "2w"], "say when: --until TIME, or --never"),
        (["disable", "roan.pel"], "roan.pell"),
        (["disable", "guest", "--on", "KIOSK-99"], "there is no host 'KIOSK-99'"),
    ],
)
def test_a_wrong_name_or_time_is_refused_in_one_line(demo: Program, arguments: list[str], says: str) -> None:
    """With what comes near, or how it is written."""
    refused = demo("account", *arguments, "--yes")
    assert (refused.code, says in refused.err) == (2, True), refused.err


def test_a_group_is_of_the_directory_or_of_a_host(demo: Program) -> None:
    """What a host's group does not have is refused, and a group of the directory needs its place."""
    wrong = demo("group", "create", "Till Repair", "--on", "KIOSK-01", "--mail", "till@lowmere.example", "--yes")
    assert (wrong.code, "a group of a host has a name alone" in wrong.err) == (2, True)
    assert "say where: --in OU, or --on HOST" in demo("group", "create", "Till Repair", "--yes").err
