"""The journal for other log systems: one line a row, as JSON, or as syslog (RFC 5424)."""

import json
from collections.abc import Callable
from typing import Final

from adzeguard.store.journal import JournalRow
from adzeguard.workflows.journal_rows import in_words

_LOG_AUDIT: Final = 13
_NOTICE: Final = 5
_PRIORITY: Final = _LOG_AUDIT * 8 + _NOTICE
_LONGEST: Final = 6000
"""Of a line of syslog: what is longer, many receivers cut, and half a JSON is none."""


def as_json(row: JournalRow, _host: str = "") -> str:
    """Return a row whole: seq, at, by, kind, enactment, what, body, hash, format."""
    return json.dumps(_data(row) | {"body": row.body, "hash": row.hash, "format": row.format}, ensure_ascii=True)


def as_syslog(row: JournalRow, host: str) -> str:
    """Return a row as one line of syslog, its message JSON without the body; the hash leads back to the whole row."""
    data = _data(row) | {"hash": row.hash}
    room = _LONGEST - len(json.dumps(data | {"what": ""}))
    said = json.dumps(data | {"what": str(data["what"])[: max(room // 6, 100)]}, ensure_ascii=True)
    name = "".join(c for c in host if c.isascii() and c.isprintable() and not c.isspace())[:255] or "-"
    return f"<{_PRIORITY}>1 {row.at} {name} adzeguard - {row.kind} - {said}"


def _data(row: JournalRow) -> dict[str, object]:
    return {
        "seq": row.seq,
        "at": row.at,
        "by": row.by,
        "kind": row.kind,
        "enactment": row.enactment,
        "what": in_words(row),
    }


LINES: Final[dict[str, Callable[[JournalRow, str], str]]] = {"jsonl": as_json, "syslog": as_syslog}
"""The forms of lines by their names."""
