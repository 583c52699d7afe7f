"""Who was on a Linux host, as its processes and the logs of sshd and PAM tell it."""

from datetime import UTC, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.hosts.linux.seen_log import seen_in

NOW = "now 2026-11-30T10:00:00+0100"


def at(text: str) -> int:
    """A time in UTC, in seconds since 1970."""
    return int(datetime.fromisoformat(text).replace(tzinfo=UTC).timestamp())


@pytest.mark.parametrize(
    ("line", "seen"),
    [
        (
            r"2026-11-29T08:00:00.123+01:00 nav sshd[1]: Accepted password for LOWMERE\\cato.lune from ::1 port 4 ssh2",
            (r"LOWMERE\cato.lune", "remote", at("2026-11-29T07:00:00")),
        ),
        (
            "Nov 29 08:00:00 nav sshd[12]: Accepted publickey for ada from 192.0.2.7 port 4 ssh2: ED25519 SHA256:x",
            ("ada", "key", at("2026-11-29T07:00:00")),
        ),
        (
            "2026-11-29T08:00:00+0100 nav sshd-session[7]: Accepted gssapi-with-mic for ada from ::1 port 4 ssh2",
            ("ada", "network", at("2026-11-29T07:00:00")),
        ),
        (
            "2026-11-29T08:00:00Z nav sshd[1]: Accepted keyboard-interactive/pam for ada from ::1 port 4 ssh2",
            ("ada", "remote", at("2026-11-29T08:00:00")),
        ),
        (
            "2026-11-29T08:00:00Z nav login[1]: pam_unix(login:session): session opened for user ada(uid=7) by LOGIN()",
            ("ada", "console", at("2026-11-29T08:00:00")),
        ),
        ("session LOWMERE\\roan.pell", ("LOWMERE\\roan.pell", "session", at("2026-11-30T09:00:00"))),
        ("ticket-kept 1796000000 ada", ("ada", "ticket-kept", 1796000000)),
        ("Dec 24 08:00:00 nav sshd[12]: Accepted password for ada from 192.0.2.7 port 4 ssh2", None),
        ("2026-10-01T08:00:00Z nav sshd[12]: Accepted password for ada from 192.0.2.7 port 4 ssh2", None),
        ("2026-11-29T08:00:00Z nav sshd[12]: Failed password for ada from 192.0.2.7 port 4 ssh2", None),
        ("2026-11-29T08:00:00Z nav sudo: pam_unix(sudo:session): session opened for user root(uid=0) by ada", None),
        ("2026-11-29T08:00:00Z nav sshd[12]: Accepted magic for ada from 192.0.2.7 port 4 ssh2", None),
        ("ticket-kept 99999999999999999999 ada", None),
        ("ticket-kept soon ada", None),
        ("ticket-kept 999999999999 ada", None),
        ("ticket-kept -5 ada", None),
        ("session ada\ud800", None),
        ("2026-13-45T99:00:00Z nav sshd[12]: Accepted password for ada from 192.0.2.7 port 4 ssh2", None),
        ("Feb 30 08:00:00 nav sshd[12]: Accepted password for ada from 192.0.2.7 port 4 ssh2", None),
    ],
)
def test_who_was_seen_is_told_with_how_and_when(line: str, seen: tuple[str, str, int] | None) -> None:
    """In both forms of times; what is too old, of another service, refused or broken is passed over."""
    assert list(seen_in(f"{NOW}\n{line}\n")) == ([seen] if seen else [])


def test_who_came_by_a_key_left_nothing_unless_a_ticket_lies_there() -> None:
    """Somebody who works there after a logon by key is no open session that leaves something."""
    by_key = "2026-11-30T08:00:00Z nav sshd[12]: Accepted publickey for ada from ::1 port 4 ssh2"
    now = at("2026-11-30T09:00:00")
    assert list(seen_in(f"{NOW}\nsession ada\n{by_key}\n")) == [("ada", "key", now)]
    with_ticket = list(seen_in(f"{NOW}\nsession ada\nticket-kept 1796000000 ada\n{by_key}\n"))
    assert ("ada", "session", now) in with_ticket
    assert ("ada", "ticket-kept", 1796000000) in with_ticket


def test_without_the_hosts_own_time_nothing_is_believed() -> None:
    """An answer that says no time, or one without a zone, tells nobody."""
    assert not list(seen_in("session ada\n"))
    assert not list(seen_in("now 2026-11-30T10:00:00\nsession ada\n"))


def test_a_host_that_saw_thousands_is_believed_in_the_last_of_them() -> None:
    """What it says is bounded: the tickets first, then who was there last."""
    line = "2026-11-29T08:{:02}:{:02}Z nav sshd[1]: Accepted password for p{} from ::1 port 4 ssh2"
    told = [line.format(n // 60 % 60, n % 60, n) for n in range(3000)]
    found = list(seen_in("\n".join([NOW, "ticket-kept 1796000000 ada", *told])))
    assert len(found) == 500
    assert found[0] == ("ada", "ticket-kept", 1796000000)
    assert found[1][0] == "p2999"


@given(st.text(max_size=200))
def test_whatever_a_host_says_stops_nothing(said: str) -> None:
    """Any text at all, in lines or not, gives names and times that can be stored, or nothing."""
    for words in (said, f"{NOW}\n{said}", f"{NOW}\nticket-kept {said}\nsession {said}\n{said}"):
        for name, _, seconds in seen_in(words):
            name.encode()
            assert datetime.fromtimestamp(seconds, UTC)
