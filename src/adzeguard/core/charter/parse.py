"""From plain values with line numbers to a charter, or to one line for each mistake."""

import difflib
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel, ValidationError

from adzeguard.core.charter.model import (
    Charter,
    DutySpec,
    GrantRule,
    GroupRule,
    HostScope,
    Intake,
    IntakeRule,
    LocalGroupRule,
    NewGroups,
    Place,
    ProtectRule,
    RosterRow,
    RosterRule,
    Rule,
)
from adzeguard.core.errors import CharterError

Path = tuple[str | int, ...]
_TOP_KEYS = ("charter", "duties", "rules")


@dataclass(frozen=True, slots=True)
class Document:
    """One charter file as plain values; `lines` tells on which line the value at each path begins."""

    file: str
    tree: Any
    lines: Mapping[Path, int]

    def at(self, path: Path) -> str:
        """Return "file:line" of the nearest value at or around the path."""
        return Place(file=self.file, lines=dict(self.lines)).at(*path)


_MODELS: dict[str, type[Rule]] = {
    "group": GroupRule, "hosts": LocalGroupRule, "local-group": LocalGroupRule, "roster": RosterRule,
    "protect": ProtectRule, "intake": IntakeRule, "over": GrantRule,
}  # fmt: skip
"""What a rule is about is known by its key."""
_INNER: dict[str, type[BaseModel]] = {"hosts": HostScope, "intake": Intake, "new-groups": NewGroups}
Rosters = Callable[[str], tuple[RosterRow, ...]]
"""Gives the lines of a roster by the name of its file; `CharterError` for one that cannot be read."""


def _no_rosters(_name: str) -> tuple[RosterRow, ...]:
    return ()


def parse_charter(documents: Iterable[Document], rosters: Rosters = _no_rosters) -> Charter:
    """Read all files of a charter; `CharterError` carries every mistake found, not only the first."""
    problems: list[str] = []
    rules: list[Rule] = []
    duties: dict[str, DutySpec] = {}
    for document in documents:
        rules += _rules_of(document, problems)
        duties |= _duties_of(document, problems)
    rules = [_with_rows(rule, rosters, problems) if isinstance(rule, RosterRule) else rule for rule in rules]
    _refuse_twins(rules, problems)
    if problems:
        raise CharterError(problems)
    return Charter(rules=tuple(rules), duties=duties)


def _rules_of(document: Document, problems: list[str]) -> list[Rule]:
    tree = document.tree
    if not isinstance(tree, dict):
        problems.append(f"{document.file}:1: a charter begins with: charter: 1")
        return []
    unknown = [key for key in tree if key not in _TOP_KEYS]
    problems += [f"{document.at((key,))}: {_unknown_key(str(key), list(_TOP_KEYS))}" for key in unknown]
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
        about = "group, hosts with local-group, over, roster, protect nor intake"
        problems.append(f"{document.at(path)}: rule {name}: says neither {about}{hint}")
        return None
    lines = {where[2:]: line for where, line in document.lines.items() if where[:2] == path}
    try:
        rule: Rule = model.model_validate({**_dates(raw), "place": Place(file=document.file, lines=lines)})
    except ValidationError as error:
        problems += [_problem(document, path, name, model, dict(detail)) for detail in error.errors()]
        return None
    return rule


def _with_rows(rule: RosterRule, rosters: Rosters, problems: list[str]) -> RosterRule:
    try:
        return rule.model_copy(update={"rows": rosters(rule.roster)})
    except CharterError as error:
        problems += [f"{rule.place.at('roster')}: rule {rule.id}: {problem}" for problem in error.problems]
        return rule


def _duties_of(document: Document, problems: list[str]) -> dict[str, DutySpec]:
    raw = document.tree.get("duties") or {} if isinstance(document.tree, dict) else {}
    if not isinstance(raw, dict):
        problems.append(f"{document.at(('duties',))}: duties must be names with what each lets one do")
        return {}
    found = {}
    for name, spec in raw.items():
        try:
            found[str(name)] = DutySpec.model_validate(spec)
        except ValidationError as error:
            for detail in error.errors():
                inner: Path = tuple(detail["loc"])
                said = _in_words(DutySpec, inner, dict(detail))
                problems.append(f"{document.at(('duties', name, *inner))}: duty {name}: {said}")
    return found


def _kind_of(raw: dict[str, Any]) -> type[Rule] | None:
    return next((model for key, model in _MODELS.items() if key in raw), None)


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
    return [field.alias for field in fields if field.alias not in ("place", "rows")]


def _unknown_keys(raw: dict[str, Any]) -> str:
    known = sorted({key for model in _MODELS.values() for key in _keys(model)})
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
            return _unknown_key(key, _keys(_INNER[str(inner[0])] if len(inner) > 1 else model))
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
