"""From plain values with line numbers to a charter, or to one line for each mistake."""

import difflib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from adzeguard.core.charter.model import Charter, GroupRule, HostScope, LocalGroupRule, Place, Rule
from adzeguard.core.errors import CharterError

Path = tuple[str | int, ...]


@dataclass(frozen=True, slots=True)
class Document:
    """One charter file as plain values; `lines` tells on which line the value at each path begins."""

    file: str
    tree: Any
    lines: Mapping[Path, int]

    def at(self, path: Path) -> str:
        """Return "file:line" of the nearest value at or around the path."""
        return Place(file=self.file, lines=dict(self.lines)).at(*path)


def parse_charter(documents: Iterable[Document]) -> Charter:
    """Read all files of a charter; `CharterError` carries every mistake found, not only the first."""
    problems: list[str] = []
    rules: list[Rule] = []
    for document in documents:
        rules += _rules_of(document, problems)
    _refuse_twins(rules, problems)
    if problems:
        raise CharterError(problems)
    return Charter(rules=tuple(rules))


def _rules_of(document: Document, problems: list[str]) -> list[Rule]:
    tree = document.tree
    if not isinstance(tree, dict):
        problems.append(f"{document.file}:1: a charter begins with: charter: 1")
        return []
    unknown = [key for key in tree if key not in ("charter", "rules")]
    problems += [f"{document.at((key,))}: {_unknown_key(str(key), ['charter', 'rules'])}" for key in unknown]
    if tree.get("charter") != 1 or isinstance(tree.get("charter"), bool):
        problems.append(f"{document.at(('charter',))}: the first line must be charter: 1, the version of the format")
    listed = tree.get("rules") or []
    if not isinstance(listed, list):
        problems.append(f"{document.at(('rules',))}: rules must be a list, each beginning with - id:")
        return []
    rules = (_rule(document, index, raw, problems) for index, raw in enumerate(listed))
    return [rule for rule in rules if rule is not None]


def _rule(document: Document, index: int, raw: Any, problems: list[str]) -> Rule | None:
    path: Path = ("rules", index)
    if not isinstance(raw, dict):
        problems.append(f"{document.at(path)}: a rule is a set of keys that begins with - id:")
        return None
    name = str(raw.get("id", f"number {index + 1}"))
    model = _kind_of(raw)
    if model is None:
        hint = _unknown_keys(raw)
        problems.append(f"{document.at(path)}: rule {name}: says neither group nor hosts with local-group{hint}")
        return None
    lines = {where[2:]: line for where, line in document.lines.items() if where[:2] == path}
    try:
        rule = model.model_validate({**_dates(raw), "place": Place(file=document.file, lines=lines)})
    except ValidationError as error:
        problems += [_problem(document, path, name, model, dict(detail)) for detail in error.errors()]
        return None
    return rule


def _kind_of(raw: dict[str, Any]) -> type[GroupRule] | type[LocalGroupRule] | None:
    if "group" in raw:
        return GroupRule
    return LocalGroupRule if "hosts" in raw or "local-group" in raw else None


def _dates(raw: dict[str, Any]) -> dict[str, Any]:
    """YAML gives a date as text here; the model wants a date and says so when it is none."""
    from datetime import date

    if isinstance(raw.get("until"), str):
        try:
            return {**raw, "until": date.fromisoformat(raw["until"])}
        except ValueError:
            return raw
    return raw


def _keys(model: type) -> list[str]:
    fields = model.model_fields.values()  # type: ignore[attr-defined]
    return [field.alias for field in fields if field.alias != "place"]


def _unknown_keys(raw: dict[str, Any]) -> str:
    known = sorted({*_keys(GroupRule), *_keys(LocalGroupRule)})
    unknown = [str(key) for key in raw if key not in known]
    return f" ({_unknown_key(unknown[0], known)})" if unknown else ""


def _unknown_key(key: str, known: list[str]) -> str:
    near = difflib.get_close_matches(key, known, 1, 0.4)
    return (
        f"unknown key '{key}', did you mean '{near[0]}'?"
        if near
        else f"unknown key '{key}', known are {', '.join(known)}"
    )


def _problem(document: Document, path: Path, name: str, model: type, detail: dict[str, Any]) -> str:
    inner: Path = tuple(detail["loc"])
    return f"{document.at(path + inner)}: rule {name}: {_in_words(model, inner, detail)}"


def _in_words(model: type, inner: Path, detail: dict[str, Any]) -> str:  # noqa: PLR0911 - one sentence a kind of mistake
    key = str(inner[-1]) if inner else ""
    named = next((str(part) for part in reversed(inner) if isinstance(part, str)), "")
    match detail["type"]:
        case "extra_forbidden":
            return _unknown_key(key, _keys(HostScope) if inner[0] == "hosts" and len(inner) > 1 else _keys(model))
        case "missing":
            return f"{key} is missing"
        case "literal_error":
            near = difflib.get_close_matches(
                str(detail["input"]), detail["ctx"]["expected"].replace("'", "").split(" or "), 1
            )
            hint = f", did you mean '{near[0]}'?" if near else ""
            return f"{named} must be {detail['ctx']['expected']}, not '{detail['input']}'{hint}"
        case "string_pattern_mismatch":
            return f"{named} '{detail['input']}' must be lower-case words joined by dashes"
        case "value_error":
            return f"{named} {detail['ctx']['error']}".strip()
        case "tuple_type":
            return f"{named} must be a list, like [ one, two ]"
        case "string_type":
            return f"{named} must hold text, not '{detail['input']}'"
        case "date_type":
            return f"{named} must be a date like 2027-01-31, not '{detail['input']}'"
        case _:
            return f"{named}: {detail['msg'].lower()}"


def _refuse_twins(rules: list[Rule], problems: list[str]) -> None:
    seen: dict[str, Rule] = {}
    for rule in rules:
        if rule.id in seen:
            first = seen[rule.id].place.at("id")
            problems.append(f"{rule.place.at('id')}: rule {rule.id}: this id is taken by the rule at {first}")
        seen.setdefault(rule.id, rule)
