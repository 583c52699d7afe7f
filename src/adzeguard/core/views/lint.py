"""Mistakes in the charter, one line each, with their places for people and for editors."""

from collections.abc import Iterable, Sequence
from dataclasses import asdict, replace
from typing import Final

from adzeguard.core.review.correction import Correction
from adzeguard.core.values import dataclass
from adzeguard.core.views.page import Lines, Page
from adzeguard.core.wording import counted_noun

_ALSO: Final = "renamed-in-rule"
_UNREADABLE: Final = "unreadable"


@dataclass(frozen=True, slots=True)
class Mistake:
    """One mistake. `line` is None if it is about the whole file, `hosts` the number of hosts on which it shows."""

    file: str
    line: int | None
    rule: str
    check: str
    message: str
    hosts: int = 0

    @property
    def in_words(self) -> str:
        """The mistake in one line, with its place first, as editors read it."""
        place = f"{self.file}:{self.line}" if self.line is not None else self.file
        about = f" rule {self.rule}:" if self.rule else ""
        where = f" (on {counted_noun(self.hosts, 'host')})" if self.hosts else ""
        return f"{place}:{about} {self.message}{where}"


def mistakes_of(corrections: Iterable[Correction]) -> list[Mistake]:
    """Return what stops rules, and names that changed; what is the same on many hosts once."""
    found: dict[Mistake, int] = {}
    for one in corrections:
        if one.stops_rule or one.check == _ALSO:
            alike = mistake_at(one.place, one.rule, one.check, one.message)
            found[alike] = found.get(alike, 0) + (one.host is not None)
    return [replace(mistake, hosts=hosts) for mistake, hosts in found.items()]


def mistake_at(place: str, rule: str, check: str, message: str) -> Mistake:
    """Return the mistake at a place, such as charter/hosts.yaml:12."""
    file, _, line = place.rpartition(":")
    return (
        Mistake(file, int(line), rule, check, message)
        if line.isdecimal()
        else Mistake(place, None, rule, check, message)
    )


def unreadable(problem: str) -> Mistake:
    """Return the mistake that a line about a charter that cannot be read says."""
    place, _, message = problem.partition(": ")
    rule, _, rest = message.removeprefix("rule ").partition(": ") if message.startswith("rule ") else ("", "", message)
    return mistake_at(place, rule, _UNREADABLE, rest)


def lint_page(mistakes: Sequence[Mistake], rules: int) -> Page:
    """Return the mistakes, or that there are none in so many rules."""
    return Page([asdict(one) for one in mistakes], [Lines(lint_lines(mistakes, rules))])


def lint_lines(mistakes: Sequence[Mistake], rules: int) -> list[str]:
    """Return one line for each mistake, or one that there is none."""
    return [one.in_words for one in mistakes] or [f"{counted_noun(rules, 'rule')}, nothing wrong."]
