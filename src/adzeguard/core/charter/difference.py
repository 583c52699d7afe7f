"""Which rules differ between two charters, and in what."""

from collections.abc import Iterator
from typing import Any, Final, Literal

from adzeguard.core.charter.amendment import Words, words_of
from adzeguard.core.charter.charter import Charter
from adzeguard.core.values import dataclass

_ASIDE: Final = ("id",)


@dataclass(frozen=True, slots=True)
class RuleDifference:
    """One rule that is not the same in both; `says` has a line for each key that differs."""

    rule: str
    change: Literal["new", "changed", "gone"]
    says: tuple[str, ...]
    place: str


def rule_differences(old: Charter, new: Charter) -> Iterator[RuleDifference]:
    """Yield each rule that differs: in the order of the new charter, then those that are gone."""
    were = {rule.id: words_of(rule) for rule in old.rules}
    are = {rule.id: words_of(rule) for rule in new.rules}
    for rule in new.rules:
        before, now = were.get(rule.id), are[rule.id]
        if before is None:
            yield RuleDifference(rule.id, "new", tuple(_said({}, now)), rule.place.at("id"))
        elif before != now:
            yield RuleDifference(rule.id, "changed", tuple(_said(before, now)), rule.place.at("id"))
    for rule in old.rules:
        if rule.id not in are:
            yield RuleDifference(rule.id, "gone", tuple(_said(were[rule.id], {})), rule.place.at("id"))


def _said(before: Words, now: Words) -> Iterator[str]:
    for key in dict.fromkeys([*before, *now]):
        was, becomes = before.get(key), now.get(key)
        if was == becomes or key in _ASIDE:
            continue
        if isinstance(was, list) and isinstance(becomes, list):
            signs = [f"- {_flat(one)}" for one in was if one not in becomes]
            yield f"{key}: {', '.join([*signs, *(f'+ {_flat(one)}' for one in becomes if one not in was)])}"
        elif was is None or becomes is None:
            yield f"{key}: {_flat(becomes if was is None else was)}"
        else:
            yield f"{key}: {_flat(was)} -> {_flat(becomes)}"


def _flat(value: Any) -> str:
    if isinstance(value, dict):
        return "; ".join(f"{key} {_flat(one)}" for key, one in value.items())
    if isinstance(value, list):
        return ", ".join(_flat(one) for one in value) or "nobody"
    return {True: "true", False: "false"}.get(value, str(value)) if isinstance(value, bool) else str(value)
