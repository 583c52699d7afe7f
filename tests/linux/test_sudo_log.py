"""What sudo logs, in each of the forms in which it is kept."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.hosts.linux.sudo_log import used_in

ENTRY = "ben : TTY=pts/0 ; PWD=/home/ben ; USER=root ; COMMAND=/opt/charts/update --now"


@pytest.mark.parametrize(
    ("line", "day"),
    [
        (f"2026-11-20T08:00:01+0000 nav-01 sudo[71]:      {ENTRY}", "2026-11-20"),
        (f"2026-11-20T08:00:01.123456+00:00 nav-01 sudo:      {ENTRY}", "2026-11-20"),
        (f"Nov 20 08:00:01 nav-01 sudo:      {ENTRY}", ""),
        (f"Nov 20 08:00:01 2026 : {ENTRY}", ""),
        (f"Nov 20 08:00:01 2026 : {ENTRY.replace('TTY=pts/0 ; ', '')}", ""),
        (
            f"2026-11-20T08:00:01+0000 nav-01 sudo[71]: {ENTRY.replace('ben', 'LOWMERE' + chr(92) + 'orla.fenn')}",
            "2026-11-20",
        ),
    ],
)
def test_who_ran_what_is_seen(line: str, day: str) -> None:
    """In the journal, from a syslog daemon of either habit, and in a file of sudo's own."""
    [(who, program, last)] = used_in(line)
    assert (who, program, last) == ("LOWMERE\\orla.fenn" if "orla" in line else "ben", "/opt/charts/update", day)


def test_the_last_day_counts_and_our_own_scripts_do_not() -> None:
    """Several uses are one, and the constant command by which this program works is none."""
    lines = [f"2026-11-{day}T08:00:01+0000 nav sudo: {ENTRY}" for day in ("20", "22", "21")]
    ours = "2026-11-23T08:00:01+0000 nav sudo: keeper : TTY=unknown ; PWD=/ ; USER=root ; COMMAND=/bin/sh -s"
    other = ENTRY.replace("USER=root", "USER=ada")
    assert list(used_in("\n".join([*lines, ours, other]))) == [("ben", "/opt/charts/update", "2026-11-22")]


@given(
    st.text(max_size=200) | st.text(alphabet=": ;=TUSERCOMAND/rot\x1b\n", max_size=400).map(lambda t: f"sudo: a : {t}")
)
def test_anything_may_stand_in_a_log(text: str) -> None:
    """What is no such line is passed over, and nothing that is no plain text comes out of one."""
    for who, program, day in used_in(text):
        assert who
        assert program.isprintable()
        assert day == "" or len(day) == 10
