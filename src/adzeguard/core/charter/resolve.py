"""From the names in a charter to identities: every rule in force with what its names stand for."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import field
from datetime import date
from functools import cached_property
from typing import Any, TypeVar

from pydantic import BaseModel

from adzeguard.core.charter.charter import Charter
from adzeguard.core.charter.kinds import KindRow
from adzeguard.core.charter.references import NameMemory, NameProblem, RuleNames
from adzeguard.core.charter.rule import Resolved, Response
from adzeguard.core.errors import CharterError
from adzeguard.core.estate.catalogue import LooksAhead
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Principal
from adzeguard.core.values import dataclass

ResolvedT = TypeVar("ResolvedT", bound=Resolved)


@dataclass(frozen=True)
class ResolvedCharter:
    """The rules in force with their names found, and what could not be found."""

    rules: tuple[Resolved, ...]
    problems: tuple[NameProblem, ...]
    keepers: tuple[Principal, ...]
    charter: Charter = field(default_factory=Charter)
    memory: NameMemory = field(default_factory=NameMemory)
    """What its names stood for before, and what became of that."""

    def of(self, kind: type[ResolvedT]) -> list[ResolvedT]:
        """Return the rules of one kind, in their order."""
        return [rule for rule in self.rules if isinstance(rule, kind)]

    def has_any_of(self, row: KindRow) -> bool:
        """Tell whether rules are in force that come to something of that kind."""
        of_these_words = self._by_module.get(row.words, ())
        return any(getattr(rule, row.by) for rule in of_these_words) if row.by else bool(of_these_words)

    @cached_property
    def _by_module(self) -> dict[str, list[Resolved]]:
        found: dict[str, list[Resolved]] = {}
        for rule in self.rules:
            found.setdefault(type(rule).__module__, []).append(rule)
        return found


def _texts_in(value: Any) -> Iterator[str]:
    """Yield every text in the words of a rule: some of them are names."""
    if isinstance(value, str):
        yield value
    elif isinstance(value, Mapping):
        for part in value.values():
            yield from _texts_in(part)
    elif isinstance(value, list | tuple | set | frozenset):
        for part in value:
            yield from _texts_in(part)
    elif isinstance(value, BaseModel):
        yield from _texts_in(value.__dict__)


def resolve_charter(
    charter: Charter,
    kinds: Sequence[KindRow],
    estate: Estate,
    day: date,
    response: Response,
    keepers: Iterable[Principal],
    stood_for: Mapping[str, str] | None = None,
) -> ResolvedCharter:
    """Resolve every rule in force on that day. `response` is the workspace's own, for rules that say none.

    `stood_for` is what names stood for when they were last looked up.
    """
    if isinstance(estate.catalogue, LooksAhead):
        texts = {text for rule in charter.rules for text in _texts_in(rule.__dict__)}
        names = (text.rpartition("\\")[2].partition("@")[0] for text in texts)
        dns = (estate.domain.full_dn(text) for text in texts if "=" in text)
        estate.catalogue.look_ahead(names, dns)
    memory = NameMemory(stood_for or {})
    by_words = {row.words: row for row in kinds}
    rules: list[Resolved] = []
    problems: list[NameProblem] = []
    for rule in charter.rules:
        if rule.holds_on(day):
            row = by_words.get(type(rule).__module__)
            if row is None:
                raise CharterError([f"{rule.place.at()}: rule {rule.id}: nothing here knows rules of its kind"])
            its_names = RuleNames(rule, estate, problems, day, memory=memory)
            rules += row.kind.resolve(rule, its_names, rule.response or response)
    return ResolvedCharter(tuple(rules), tuple(problems), tuple(keepers), charter, memory)
