"""Changes one rule in the text of a charter file; every other line stays as it was written, comments too.

What comes out is read again: unless it says just what it should, the text is refused and nothing is written.
"""

from collections.abc import Mapping, Sequence
from io import StringIO
from typing import Any, Final

from adzeguard.core.charter.amendment import Amendment
from adzeguard.core.charter.parse import Document
from adzeguard.core.errors import CharterError, UsageError
from adzeguard.settings.charter_yaml import document_of

EMPTY: Final = "charter: 1\nrules:\n"
_USUAL_INDENT: Final = 2
_WIDE: Final = 1_000_000
_SHORT: Final = 2
_BY_HAND: Final = "Change it with an editor, then run: adzeguard charter lint"


def amended_text(text: str, shown: str, amendment: Amendment) -> str:
    """Return the text of a charter file with one rule added, altered or taken out.

    `shown` is the file in messages. `UsageError` if the file is written in a way that cannot be changed line by line.
    """
    document = document_of(text or EMPTY, shown)
    changed = _changed(text or EMPTY, document, amendment)
    wanted = _rules_after(document, amendment)
    try:
        said = document_of(changed, shown).tree
    except CharterError as error:
        raise UsageError(f"{shown} cannot be changed without harm", _BY_HAND) from error
    if said.get("rules") not in (wanted, wanted or None) or {**said, "rules": None} != {**document.tree, "rules": None}:
        raise UsageError(f"{shown} cannot be changed without harm", _BY_HAND)
    return changed


def rule_text(words: Mapping[str, Any], indent: int = _USUAL_INDENT) -> str:
    """Return a rule as an item of the list of rules, each line ending in a line break."""
    from ruamel.yaml.comments import CommentedMap

    return _dumped([CommentedMap({key: _in_one_line(value) for key, value in words.items()})], indent)


def _in_one_line(value: Any) -> Any:
    """Write a scope, and a short list, as people do: {under: [...]}, [one, two]."""
    from ruamel.yaml.comments import CommentedMap, CommentedSeq

    if not isinstance(value, dict | list) or (isinstance(value, list) and len(value) > _SHORT):
        return value
    kept = CommentedMap(value) if isinstance(value, dict) else CommentedSeq(value)
    kept.fa.set_flow_style()
    return kept


def _rules_after(document: Document, amendment: Amendment) -> list[Any]:
    rules = list(document.tree.get("rules") or [])
    if amendment.before is None:
        return [*rules, amendment.after]
    at = _index_of(document, amendment.rule)
    if amendment.after is None:
        return rules[:at] + rules[at + 1 :]
    return [*rules[:at], _altered(rules[at], amendment), *rules[at + 1 :]]


def _altered(rule: Any, amendment: Amendment) -> Any:
    """Alter the keys that differ, in a rule of plain values or in one that knows its comments."""
    before, after = amendment.before or {}, amendment.after or {}
    whole = rule if hasattr(rule, "ca") else dict(rule)
    for key, value in after.items():
        if before.get(key) != value:
            whole[key] = _replaced(whole.get(key), value)
    for key in before:
        if key not in after:
            del whole[key]
    return whole


def _replaced(stands: Any, value: Any) -> Any:
    """Put a value in the place of another; of lists and maps, what stays keeps its comments."""
    if isinstance(stands, list) and isinstance(value, list):
        if [one for one in stands if one in value] != value[: len([one for one in value if one in stands])]:
            return value  # in another order
        listed = stands if hasattr(stands, "ca") else list(stands)
        for gone in [one for one in stands if one not in value]:
            del listed[listed.index(gone)]
        listed.extend(one for one in value if one not in stands)
        return listed
    if isinstance(stands, dict) and isinstance(value, dict):
        mapped = stands if hasattr(stands, "ca") else dict(stands)
        for key, one in value.items():
            # A single text may stand where a list of one is meant, and stays so.
            if [mapped.get(key)] != one:
                mapped[key] = _replaced(_listed(mapped.get(key), one), one)
        return mapped
    return value


def _listed(stands: Any, value: Any) -> Any:
    return [stands] if isinstance(value, list) and isinstance(stands, str) else stands


def _changed(text: str, document: Document, amendment: Amendment) -> str:
    lines = text.splitlines(keepends=True)
    if lines and not lines[-1].endswith("\n"):
        lines[-1] += "\n"
    if amendment.before is None:
        return "".join(_with_rule(lines, document, amendment.after or {}))
    begin, end = _span(lines, document, _index_of(document, amendment.rule))
    if amendment.after is None:
        return "".join(_without(lines, document, begin, end))
    return "".join([*lines[:begin], _altered_text("".join(lines[begin:end]), amendment), *lines[end:]])


def _with_rule(lines: list[str], document: Document, words: Mapping[str, Any]) -> list[str]:
    rules = document.tree.get("rules")
    if not rules:
        at = document.lines[("rules",)] - 1 if ("rules",) in document.lines else None
        head = lines if at is None else [*lines[:at], *lines[at + 1 :]]
        return [*head, "rules:\n", rule_text(words)]
    last = len(rules) - 1
    begin, _ = _span(lines, document, last)
    indent = len(lines[begin]) - len(lines[begin].lstrip())
    keys_after = [line for path, line in document.lines.items() if len(path) == 1 and line - 1 > begin]
    end = min((line - 1 for line in keys_after), default=len(lines))
    while end > begin + 1 and _is_aside(lines[end - 1], indent):
        end -= 1
    return [*lines[:end], "\n", rule_text(words, indent), *lines[end:]]


def _without(lines: list[str], document: Document, begin: int, end: int) -> list[str]:
    """Take lines out, with the comments right above them, and one of two empty lines."""
    while begin > 0 and lines[begin - 1].lstrip().startswith("#") and lines[begin - 1].startswith(" "):
        begin -= 1
    while end < len(lines) and not lines[end].strip():
        end += 1
    if len(document.tree["rules"]) == 1:
        at = document.lines[("rules",)] - 1
        return [*lines[:at], "rules: []\n", *lines[at + 1 : begin], *lines[end:]]
    return [*lines[:begin], *lines[end:]]


def _altered_text(text: str, amendment: Amendment) -> str:
    from ruamel.yaml import YAML

    indent = len(text) - len(text.lstrip())
    reader = YAML(typ="rt")
    reader.preserve_quotes = True
    (rule,) = reader.load("".join(line[indent:] if line.strip() else line for line in text.splitlines(keepends=True)))
    return _dumped([_altered(rule, amendment)], indent)


def _dumped(rules: Sequence[Any], indent: int) -> str:
    from ruamel.yaml import YAML

    writer = YAML(typ="rt")
    writer.width = _WIDE
    writer.preserve_quotes = True
    writer.indent(mapping=2, sequence=4, offset=_USUAL_INDENT)
    out = StringIO()
    writer.dump(rules, out)
    lines = (line[_USUAL_INDENT:] for line in out.getvalue().splitlines(keepends=True))
    return "".join(f"{' ' * indent}{line}" if line.strip() else "\n" for line in lines)


def _index_of(document: Document, rule: str) -> int:
    return next(at for at, raw in enumerate(document.tree["rules"]) if raw.get("id") == rule)


def _span(lines: list[str], document: Document, at: int) -> tuple[int, int]:
    """Return the lines of one rule, from its dash to its last word."""
    begin = document.lines[("rules", at)] - 1
    if not lines[begin].lstrip().startswith("- "):
        raise UsageError(f"the rules of {document.file} are written in brackets or beside their dashes", _BY_HAND)
    end = max(line for path, line in document.lines.items() if path[:2] == ("rules", at))
    indent = len(lines[begin]) - len(lines[begin].lstrip())
    while end < len(lines) and (not lines[end].strip() or _indent(lines[end]) > indent):
        end += 1
    while end > begin + 1 and _is_aside(lines[end - 1], indent):
        end -= 1
    return begin, end


def _indent(line: str) -> int:
    return len(line) - len(line.lstrip())


def _is_aside(line: str, indent: int) -> bool:
    """Tell whether a line says nothing of the rule above it: empty, or a comment no deeper than its dash."""
    return not line.strip() or (line.lstrip().startswith("#") and _indent(line) <= indent)
