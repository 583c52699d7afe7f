r"""Who is logged on to a Linux host, and was of late: by its processes, ticket caches, and the log of sshd and PAM.

Of a session without a terminal, and of one that came by a public key, utmp and the directory know nothing: the
processes do, and sshd's own log tells how somebody came (seen with OpenSSH 9.2 and winbind 4.17). A backslash in a name
stands there twice. Anybody who can log can write such a line too: it can tell of somebody who was never there, and
hides nobody.
"""

import re
from collections.abc import Iterable, Iterator, Mapping
from datetime import datetime, timedelta
from typing import Final

from adzeguard.core.estate.seen_on import KEY, SESSION, TICKET

_MOST: Final = 4000
"""More than the script on the host prints."""
_LONGEST: Final = 1024
_LATELY: Final = timedelta(days=30)
_A_DAY: Final = timedelta(days=1)
_SEEN_AT_MOST: Final = 500
_BY: Final[Mapping[str, str]] = {
    "password": "remote",
    "keyboard-interactive": "remote",
    "none": "remote",
    "publickey": KEY,
    "hostbased": KEY,
    "gssapi-with-mic": "network",
    "gssapi-keyex": "network",
}
"""How sshd says that somebody came; a ticket that is handed on leaves a cache, which is seen by itself."""
_ACCEPTED: Final = re.compile(
    r"sshd(?:-session)?\[\d+\]: Accepted (?P<by>[a-z-]+)[a-z/-]* for (?P<who>.+) from \S+ port "
)
_OPENED: Final = re.compile(
    r" (?:login|gdm[a-z-]*|lightdm|sddm|xdm)(?:\[\d+\])?: pam_\w+\([\w-]+:session\): "
    r"session opened for user (?P<who>[^()]+)\("
)
_ISO: Final = re.compile(r"(\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d)(?:[.,]\d+)?(Z|[+-]\d\d:?\d\d) ")
_SHORT: Final = re.compile(r"([A-Z][a-z]{2} [ \d]\d \d\d:\d\d:\d\d) ")

Seen = tuple[str, str, int]
"""A name, how they were seen, and when, in seconds since 1970."""


def seen_in(text: str) -> Iterator[Seen]:
    """Yield everybody who was seen, by each way once, the last time. What cannot be understood is passed over."""
    told = [line for line in text.splitlines()[:_MOST] if len(line) <= _LONGEST and line.isprintable()]
    words = [line.split(" ", 1) for line in told if " " in line]
    now = next((at for first, rest in words if first == "now" and (at := _time(rest)) is not None), None)
    if now is None:
        return
    tickets = dict(_tickets((rest for first, rest in words if first == TICKET), now))
    logons = _logons(told, now)
    for name in {rest.strip() for first, rest in words if first == SESSION}:
        came = max(((at, how) for (who, how), at in logons.items() if who == name), default=(0, ""))[1]
        # Who came by a key, or by a ticket that was not handed on, can be made out, and left nothing.
        how = came if came in (KEY, "network") and name not in tickets else SESSION
        logons[name, how] = int(now.timestamp())
    found = [(name, TICKET, at) for name, at in sorted(tickets.items())]
    found += [(name, how, at) for (name, how), at in sorted(logons.items(), key=lambda one: (-one[1], one[0]))]
    yield from found[:_SEEN_AT_MOST]


def _tickets(lines: Iterable[str], now: datetime) -> Iterator[tuple[str, int]]:
    latest = int((now + _A_DAY).timestamp())
    for line in sorted(lines, key=lambda line: line.partition(" ")[0].zfill(20)):
        at, _, name = line.partition(" ")
        # The time of a file is what its owner says: one of a year that no calendar has would end the reading of all.
        if at.isascii() and at.isdecimal() and len(at) <= len(str(latest)) and int(at) <= latest:
            yield name, int(at)


def _logons(lines: Iterable[str], now: datetime) -> dict[tuple[str, str], int]:
    found: dict[tuple[str, str], int] = {}
    for line in lines:
        accepted = _ACCEPTED.search(line)
        opened = None if accepted else _OPENED.search(line)
        how = _BY.get(accepted["by"], "") if accepted else "console"
        match, at = accepted or opened, _at(line, now)
        if match is not None and how and at is not None and now - _LATELY <= at <= now + _A_DAY:
            key = (match["who"].replace("\\\\", "\\"), how)
            found[key] = max(found.get(key, 0), int(at.timestamp()))
    return found


def _at(line: str, now: datetime) -> datetime | None:
    iso = _ISO.match(line)
    if iso is not None:
        return _time(f"{iso[1]}{iso[2]}")
    short = _SHORT.match(line)
    if short is None:
        return None
    # The older form of syslog tells neither the year nor the zone: it is the host's, and the last such day.
    for year in (now.year, now.year - 1):
        try:
            at = datetime.strptime(f"{year} {short[1]} {now:%z}", "%Y %b %d %H:%M:%S %z")
        except ValueError:
            continue
        if at <= now + _A_DAY:
            return at
    return None


def _time(text: str) -> datetime | None:
    try:
        found = datetime.fromisoformat(text.strip())
    except ValueError:
        return None
    return found if found.tzinfo is not None else None
