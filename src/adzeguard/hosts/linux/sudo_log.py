"""What sudo has logged of who ran what, in the journal, by a syslog daemon, or in a file of its own (sudoers(5)).

Anybody who can log can write such a line too, so that it is taken as a hint for people and as nothing else.
"""

import re
from collections.abc import Iterator, Mapping
from typing import Final

from adzeguard.hosts.linux.shell import COMMAND

_LINE: Final = re.compile(
    r"(?:sudo(?:\[\d+\])?:|^.{3,40}? :)\s+(?P<who>\S[^:;]*?) : (?:[A-Z]+=[^;]* ; )*USER=root ; (?:[A-Z]+=[^;]* ; )*"
    r"COMMAND=(?P<program>/[^ ]+)(?P<rest>.*)$"
)
_DAY: Final = re.compile(r"(\d{4}-\d\d-\d\d)[T ]")
_LONGEST: Final = 4096
_MOST: Final = 2000


def used_in(log: str) -> Iterator[tuple[str, str, str]]:
    """Yield who ran which program, and on which last day where the log tells the year; what was refused is no use."""
    found: dict[tuple[str, str], str] = {}
    for line in log.splitlines()[-_MOST:]:
        # The pattern looks back and forth: anybody can log a line so long that it would not end.
        match = _LINE.search(line) if len(line) <= _LONGEST else None
        if match is None or not match["program"].isprintable() or _is_ours(match):
            continue
        day = _DAY.match(line)
        key = (match["who"], match["program"])
        found[key] = max(found.get(key, ""), day[1] if day else "")
    yield from ((who, program, day) for (who, program), day in sorted(found.items()))


def _is_ours(match: Mapping[str, str] | re.Match[str]) -> bool:
    """Tell whether it is this program itself, which runs its scripts by one constant command."""
    return (match["program"], *match["rest"].split()) == COMMAND
