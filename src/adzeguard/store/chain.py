"""The chain of hashes that the rows of the journal are."""

import json
from collections.abc import Mapping, Sequence
from datetime import datetime
from hashlib import sha256
from typing import Any, Final

from adzeguard.core.values import dataclass
from adzeguard.store.connection import Connection, one

FORMAT: Final = 2
"""The form of the rows that are written now. In the first one an enactment was called an apply."""
FIRST: Final = "0" * 64
COLUMNS: Final = 'seq, at, "by", kind, enactment, body, previous, hash, format'


@dataclass(frozen=True, slots=True)
class Head:
    """The last row that was written: its number and its hash."""

    seq: int
    hash: str


def append_row(
    connection: Connection, kind: str, enactment: str, body: Mapping[str, Any], at: datetime, by: str
) -> Head:
    """Write one row behind the last one, in the transaction of what it tells."""
    last = last_row(connection)
    seq, previous = (last.seq + 1, last.hash) if last else (1, FIRST)
    text = json.dumps(body, sort_keys=True, ensure_ascii=True)
    values = (seq, at.isoformat(), by, kind, enactment, text)
    digest = hash_of(values, previous, FORMAT)
    connection.run(
        f"INSERT INTO journal ({COLUMNS}) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)", (*values, previous, digest, FORMAT)
    )
    return Head(int(seq), digest)


def last_row(connection: Connection) -> Head | None:
    """Return where the chain ends; None for one without a row."""
    last = one(connection, "SELECT seq, hash FROM journal ORDER BY seq DESC LIMIT 1")
    return Head(int(last[0]), str(last[1])) if last is not None else None


def hash_of(values: Sequence[Any], previous: str, written_as: int) -> str:
    """Return the link of the chain. Rows of the first form go on being checked as they were written."""
    seq, at, by, kind, enactment, text = values
    named = {"seq": seq, "at": at, "by": by, "kind": kind, "body": text}
    named |= {"apply": enactment} if written_as == 1 else {"enactment": enactment, "format": written_as}
    return sha256((previous + json.dumps(named, sort_keys=True, ensure_ascii=True)).encode()).hexdigest()
