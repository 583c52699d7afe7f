"""Reads the charter's YAML files into plain values with line numbers, with limits, running and following nothing."""

import csv
import re
from collections.abc import Sequence
from datetime import date
from hashlib import sha256
from pathlib import Path
from typing import Any, Final

from adzeguard.core.charter.charter import Charter
from adzeguard.core.charter.kinds import KindRow
from adzeguard.core.charter.parse import Document, parse_charter
from adzeguard.core.charter.roster_row import RosterRow
from adzeguard.core.errors import AdzeguardError, CharterError
from adzeguard.core.review.kinds import RULE_KINDS
from adzeguard.settings.charter_kept import KeptDocuments
from adzeguard.settings.trust import ensure_ours

_LARGEST_FILE: Final = 8 * 1024 * 1024
_DEEPEST: Final = 64
_LONGEST_HEAD: Final = 200
_ROSTER_COLUMNS: Final = (["group", "member"], ["group", "member", "until"])
_INTEGER: Final = re.compile(r"[-+]?[0-9]{1,18}")
_KEYWORDS: Final = {
    "true": True,
    "True": True,
    "false": False,
    "False": False,
    "null": None,
    "~": None,
    "": None,
}


def load_charter(folder: Path, kinds: Sequence[KindRow] = RULE_KINDS, kept: Path | None = None) -> Charter:
    """Read every YAML file of the folder, in the order of their names. `CharterError` lists every mistake.

    `kept` is the file for what they said, so that the same text is parsed once.
    """
    documents = []
    problems: list[str] = []
    known = KeptDocuments(kept) if kept is not None else None
    for path in charter_files(folder):
        ensure_ours(path)
        try:
            documents.append(read_document(path, f"{folder.name}/{path.name}", known))
        except CharterError as error:
            problems += error.problems
    if known is not None and not problems:
        known.keep()
    try:
        charter = parse_charter(documents, kinds, lambda name: read_roster(folder / name))
    except CharterError as error:
        problems += error.problems
    if problems:
        raise CharterError(problems)
    return charter


def read_roster(path: Path) -> tuple[RosterRow, ...]:
    """Read a CSV file with the columns group and member, and until where members end.

    `CharterError` says what is wrong and on which line.
    """
    ensure_ours(path)
    try:
        if path.stat().st_size > _LARGEST_FILE:
            raise CharterError([f"{path.name}: larger than 8 MiB, which no roster is"])
        with path.open(encoding="utf-8-sig", newline="") as file:
            first = file.readline(_LONGEST_HEAD)
            file.seek(0)
            # Spreadsheets of half the world put semicolons where RFC 4180 has commas.
            reader = csv.DictReader(file, strict=True, delimiter=";" if ";" in first and "," not in first else ",")
            columns = [name.strip().casefold() for name in reader.fieldnames or ()]
            if columns not in _ROSTER_COLUMNS:
                raise CharterError([f"{path.name}:1: the first line must be: group,member, or group,member,until"])
            return tuple(_roster_row(path.name, reader.line_num, list(row.values()), len(columns)) for row in reader)
    except (csv.Error, UnicodeDecodeError) as error:
        raise CharterError([f"{path.name}: is not CSV in UTF-8: {error}"]) from error
    except OSError as error:
        raise CharterError([f"{path.name} cannot be read: {error.strerror}"]) from error


def _roster_row(name: str, line: int, cells: list[Any], columns: int) -> RosterRow:
    if len(cells) != columns or not all(isinstance(cell, str) for cell in cells) or not cells[0].strip():
        until = ", and a last day or nothing" if columns > len(_ROSTER_COLUMNS[0]) else ""
        raise CharterError([f"{name}:{line}: must hold a group and a member{until}, with a comma between them"])
    group, member, *ends = (cell.strip() for cell in cells)
    try:
        last = date.fromisoformat(ends[0]) if ends and ends[0] else None
    except ValueError as error:
        raise CharterError([f"{name}:{line}: '{ends[0][:40]}' is no day, such as 2026-12-24"]) from error
    return RosterRow(group=group, member=member, line=line, until=last)


def charter_files(folder: Path) -> list[Path]:
    """Return the files of a charter in the order in which they are read.

    A folder that is not there is a mistake, not an empty charter: what rules have put in would be withdrawn.
    """
    try:
        return sorted(path for path in folder.iterdir() if path.suffix in (".yaml", ".yml") and path.is_file())
    except OSError as error:
        raise CharterError(
            [f"{folder} cannot be read: {error.strerror}; make it, or name it in adzeguard.toml"]
        ) from error


def digest_of_charter(folder: Path) -> str:
    """Return what tells this charter, with its rosters, from any other; empty where it cannot be read."""
    whole = sha256()
    try:
        for path in [*charter_files(folder), *sorted(folder.glob("*.csv"))]:
            whole.update(f"{path.name}\n{sha256(path.read_bytes()).hexdigest()}\n".encode("utf-8", "surrogateescape"))
    except (OSError, AdzeguardError):
        return ""
    return whole.hexdigest()


def read_document(path: Path, shown: str, kept: KeptDocuments | None = None) -> Document:
    """Read one file; `shown` is its name in messages."""
    try:
        if path.stat().st_size > _LARGEST_FILE:
            raise CharterError([f"{shown}: larger than 8 MiB, which no charter is"])
        text = path.read_text(encoding="utf-8")
    except UnicodeDecodeError as error:
        raise CharterError([f"{shown}: is not UTF-8 text: {error.reason} at byte {error.start}"]) from error
    except OSError as error:
        raise CharterError([f"{shown}: cannot be read: {error.strerror}"]) from error
    return kept.document(text, shown, document_of) if kept is not None else document_of(text, shown)


def document_of(text: str, shown: str) -> Document:
    """Read the text of one file."""
    from ruamel.yaml import YAML
    from ruamel.yaml.error import MarkedYAMLError, YAMLError

    try:
        builder = _Builder(shown)
        for event in YAML(typ="safe", pure=True).parse(text):
            builder.take(event)
    except MarkedYAMLError as error:
        line = (error.problem_mark.line + 1) if error.problem_mark else 1
        raise CharterError([f"{shown}:{line}: not YAML: {error.problem}"]) from error
    except (YAMLError, ValueError, RecursionError) as error:
        raise CharterError([f"{shown}: not YAML: {' '.join(str(error).split())[:200]}"]) from error
    return Document(shown, builder.tree, builder.lines)


class _Builder:
    """Builds plain values from the events of the YAML parser, with a note of the line of each.

    Built from events rather than by the library's own constructor: depth is bounded before anything recurses, a key
    that stands twice is seen, and aliases, tags and further documents, which a charter has no use for, are refused.
    """

    def __init__(self, shown: str) -> None:
        self.tree: Any = None
        self.lines: dict[tuple[str | int, ...], int] = {}
        self._shown = shown
        self._open: list[Any] = []
        self._path: list[str | int] = []
        self._keys: list[str | None] = []
        self._documents = 0

    def take(self, event: Any) -> None:
        kind = type(event).__name__
        line = event.start_mark.line + 1
        match kind:
            case "DocumentStartEvent":
                self._documents += 1
                if self._documents > 1:
                    self._refuse(line, "one file holds one charter; --- begins another")
            case "AliasEvent":
                self._refuse(line, "anchors and aliases are not read; write the value again")
            case "ScalarEvent":
                self._scalar(event, line)
            case "MappingStartEvent" | "SequenceStartEvent":
                self._begin({} if kind == "MappingStartEvent" else [], event, line)
            case "MappingEndEvent" | "SequenceEndEvent":
                self._open.pop()
                self._keys.pop()
                if self._path:
                    self._path.pop()
            case _:
                return

    def _refuse(self, line: int, why: str) -> None:
        raise CharterError([f"{self._shown}:{line}: {why}"])

    def _begin(self, container: Any, event: Any, line: int) -> None:
        self._check(event, line)
        if len(self._open) >= _DEEPEST:
            self._refuse(line, f"nested deeper than {_DEEPEST}")
        if self._open and isinstance(self._open[-1], dict) and self._keys[-1] is None:
            self._refuse(line, "a key must be a word")
        step = self._place(container, line)
        if self._open:
            self._path.append(step)
        self._open.append(container)
        self._keys.append(None)

    def _check(self, event: Any, line: int) -> None:
        if event.anchor is not None:
            self._refuse(line, "anchors and aliases are not read; write the value again")
        if event.tag not in (None, "!"):
            self._refuse(line, f"tags like {event.tag} are not read")

    def _scalar(self, event: Any, line: int) -> None:
        self._check(event, line)
        if self._open and isinstance(self._open[-1], dict) and self._keys[-1] is None:
            if event.value in self._open[-1]:
                self._refuse(line, f"the key '{event.value}' stands here twice")
            self._keys[-1] = event.value
            self.lines[(*self._path, event.value)] = line
            return
        self._place(_value(event), line)

    def _place(self, value: Any, line: int) -> str | int:
        if not self._open:
            self.tree = value
            self.lines[()] = line
            return ""
        parent = self._open[-1]
        step: str | int
        if isinstance(parent, dict):
            step = self._keys[-1] or ""
            parent[step] = value
            self._keys[-1] = None
        else:
            step = len(parent)
            parent.append(value)
        self.lines.setdefault((*self._path, step), line)
        return step


def _value(event: Any) -> Any:
    """Plain words are text unless they are a number, true, false or nothing; a date is text here."""
    if not event.implicit[0]:
        return event.value
    if event.value in _KEYWORDS:
        return _KEYWORDS[event.value]
    return int(event.value) if _INTEGER.fullmatch(event.value) else event.value
