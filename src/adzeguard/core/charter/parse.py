"""From plain values with line numbers to a charter, or to one line for each mistake."""

import re
from collections.abc import Iterable, Mapping, Sequence
from functools import cached_property
from typing import Any, get_args

from pydantic import BaseModel, ValidationError

from adzeguard.core.charter.charter import Charter, DutyForm
from adzeguard.core.charter.kinds import KindRow, row_of
from adzeguard.core.charter.rule import Place, ReadFile, RuleBase
from adzeguard.core.errors import CharterError
from adzeguard.core.values import dataclass
from adzeguard.core.wording import did_you_mean

Path = tuple[str | int, ...]
_TOP_KEYS = ("charter", "duties", "rules")
_FORMER_WORDS = {"correct": "mend", "alert": "tell"}
"""What the responses were called in charters of the first version."""


@dataclass(frozen=True)
class Document:
    """One charter file as plain values; `lines` tells on which line the value at each path begins."""

    file: str
    tree: Any
    lines: Mapping[Path, int]

    @cached_property
    def lines_below(self) -> dict[Path, dict[Path, int]]:
        """For each item of a list at the top, the lines of what stands in it, gathered once for all of them."""
        below: dict[Path, dict[Path, int]] = {}
        for where, line in self.lines.items():
            below.setdefault(where[:2], {})[where[2:]] = line
        return below

    def at(self, path: Path) -> str:
        """Return "file:line" of the nearest value at or around the path."""
        return Place(file=self.file, lines=dict(self.lines)).at(*path)


def _no_files(_name: str) -> tuple[()]:
    return ()


def parse_charter(documents: Iterable[Document], kinds: Sequence[KindRow], read_file: ReadFile = _no_files) -> Charter:
    """Read all files of a charter; `CharterError` carries every mistake found, not only the first.

    `read_file` gives what a file holds that a rule names, such as a roster.
    """
    problems: list[str] = []
    rules: list[RuleBase] = []
    duties: dict[str, DutyForm] = {}
    for document in documents:
        rules += _rules_of(document, kinds, problems)
        duties |= _duties_of(document, problems)
    rules = [_completed(rule, read_file, problems) for rule in rules]
    _refuse_twins(rules, problems)
    if problems:
        raise CharterError(problems)
    return Charter(rules=tuple(rules), duties=duties)


def _rules_of(document: Document, kinds: Sequence[KindRow], problems: list[str]) -> list[RuleBase]:
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
    rules = (_rule(document, index, raw, kinds, problems) for index, raw in enumerate(listed))
    return [rule for rule in rules if rule is not None]


def _rule(document: Document, index: int, raw: Any, kinds: Sequence[KindRow], problems: list[str]) -> RuleBase | None:
    path: Path = ("rules", index)
    if not isinstance(raw, dict):
        problems.append(f"{document.at(path)}: a rule is a set of keys that begins with - id:")
        return None
    name = str(raw.get("id", f"number {index + 1}"))
    row = row_of(raw, kinds)
    if row is None:
        problems.append(f"{document.at(path)}: rule {name}: {_of_no_kind(raw, kinds)}")
        return None
    lines = document.lines_below.get(path, {})
    words = row.kind.words
    try:
        return words.model_validate({**raw, "place": Place(file=document.file, lines=lines)})
    except ValidationError as error:
        problems += [_problem(document, path, name, words, dict(detail)) for detail in error.errors()]
        return None


def _of_no_kind(raw: dict[str, Any], kinds: Sequence[KindRow]) -> str:
    if "hosts" in raw:
        about = [row.key for row in kinds if "hosts" in _keys(row.kind.words)]
        return f"says on which hosts, and not what is demanded of them: give {' or '.join(about)}{_unknown(raw, kinds)}"
    *first, last = [row.key for row in kinds]
    return f"says neither {', '.join(first)} nor {last}{_unknown(raw, kinds)}"


def _unknown(raw: dict[str, Any], kinds: Sequence[KindRow]) -> str:
    known = sorted({key for row in kinds for key in _keys(row.kind.words)})
    unknown = [str(key) for key in raw if key not in known]
    return f" ({_unknown_key(unknown[0], known)})" if unknown else ""


def _completed(rule: RuleBase, read_file: ReadFile, problems: list[str]) -> RuleBase:
    try:
        return rule.completed(read_file)
    except CharterError as error:
        problems += [f"{rule.place.at()}: rule {rule.id}: {problem}" for problem in error.problems]
        return rule


def _duties_of(document: Document, problems: list[str]) -> dict[str, DutyForm]:
    raw = document.tree.get("duties") or {} if isinstance(document.tree, dict) else {}
    if not isinstance(raw, dict):
        problems.append(f"{document.at(('duties',))}: duties must be names with what each lets one do")
        return {}
    forms = {}
    for name, spec in raw.items():
        try:
            forms[str(name)] = DutyForm.model_validate(spec)
        except ValidationError as error:
            for detail in error.errors():
                inner: Path = tuple(detail["loc"])
                said = _in_words(DutyForm, inner, dict(detail))
                problems.append(f"{document.at(('duties', name, *inner))}: duty {name}: {said}")
    return forms


def _keys(model: type[BaseModel]) -> list[str]:
    return [str(field.alias) for field in model.model_fields.values() if not field.exclude]


def _inside(model: type[BaseModel], key: str) -> type[BaseModel]:
    """Return the model of the value under a key, or the model itself where it holds no other."""
    field = next((f for f in model.model_fields.values() if f.alias == key), None)
    for held in (field.annotation, *get_args(field.annotation)) if field is not None else ():
        if isinstance(held, type) and issubclass(held, BaseModel):
            return held
    return model


def _unknown_key(key: str, known: list[str]) -> str:
    near = did_you_mean(key, known, cutoff=0.4)
    return f"unknown key '{key}'" + (near or f", known are {', '.join(known)}")


def _problem(document: Document, path: Path, name: str, model: type[BaseModel], detail: dict[str, Any]) -> str:
    inner: Path = tuple(detail["loc"])
    return f"{document.at(path + inner)}: rule {name}: {_in_words(model, inner, detail)}"


def _in_words(model: type[BaseModel], inner: Path, detail: dict[str, Any]) -> str:  # noqa: PLR0911 - one sentence a kind of mistake
    key = str(inner[-1]) if inner else ""
    named = next((str(part) for part in reversed(inner) if isinstance(part, str)), "")
    match detail["type"]:
        case "extra_forbidden":
            return _unknown_key(key, _keys(_inside(model, str(inner[0])) if len(inner) > 1 else model))
        case "missing":
            return f"{key} is missing"
        case "literal_error":
            given, allowed = str(detail["input"]), re.split(", | or ", detail["ctx"]["expected"].replace("'", ""))
            if _FORMER_WORDS.get(given) in allowed:
                return f"{named} '{given}' is called '{_FORMER_WORDS[given]}' since the first version"
            near = did_you_mean(given, allowed, cutoff=0.6)
            return f"{named} must be {detail['ctx']['expected']}, not '{given}'{near}"
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


def _refuse_twins(rules: list[RuleBase], problems: list[str]) -> None:
    seen: dict[str, RuleBase] = {}
    for rule in rules:
        if rule.id in seen:
            first = seen[rule.id].place.at("id")
            problems.append(f"{rule.place.at('id')}: rule {rule.id}: this id is taken by the rule at {first}")
        seen.setdefault(rule.id, rule)
