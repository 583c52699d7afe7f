"""The rows of collections: when something was read, from where, and how far the directory's changes were known."""

import json
from collections.abc import Iterable
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any, Final

from adzeguard.core.errors import InputError, StoreDamagedError
from adzeguard.core.estate.catalogue import Domain, DomainRead
from adzeguard.core.identity import Sid
from adzeguard.core.values import dataclass
from adzeguard.store.connection import Connection, one

ENACTMENT: Final = "enactment"
"""The kind of collection that read what an enactment had touched, and nothing else."""
_COLUMNS: Final = (
    "id, kind, started, finished, source, base_dn, dns_name, short_name, domain_sid, invocation_id, highest_usn, others"
)


@dataclass(frozen=True, slots=True)
class CollectionFacts:
    """What is known of a collection besides its content."""

    kind: str
    started: datetime
    finished: datetime
    source: str
    domain: Domain
    invocation_id: str = ""
    highest_usn: int = 0
    others: tuple[DomainRead, ...] = ()
    """Of several domains, what was read of those beside the first one; of one that was silent, what was before."""

    def of_an_enactment(self, started: datetime, finished: datetime) -> "CollectionFacts":
        """Return those of what is written after it beside a collection: how far changes are known stays as it is."""
        return replace(self, kind=ENACTMENT, started=started, finished=finished)


@dataclass(frozen=True, slots=True)
class StoredCollection:
    """A collection in the store."""

    id: int
    facts: CollectionFacts


def begin(connection: Connection, facts: CollectionFacts) -> int:
    """Write a collection and return its number."""
    import secrets  # with it come random numbers and OpenSSL, which no look needs

    domain = facts.domain
    last = one(connection, "SELECT coalesce(max(id), 0) FROM collection") or (0,)
    number = int(last[0]) + 1
    values = (
        secrets.token_hex(16),
        number,
        facts.kind,
        facts.started.timestamp(),
        facts.finished.timestamp(),
        facts.source,
        domain.base_dn,
        domain.dns_name,
        domain.short_name,
        domain.sid,
        facts.invocation_id,
        facts.highest_usn,
        _written(facts.others),
    )
    marks = ", ".join("?" * len(values))
    connection.run(f"INSERT INTO collection (stamp, {_COLUMNS}) VALUES ({marks})", values)
    return number


def last_where(connection: Connection, condition: str, values: tuple[Any, ...] = ()) -> StoredCollection | None:
    """Return the last collection of which a condition is true."""
    query = f"SELECT {_COLUMNS} FROM collection WHERE {condition} ORDER BY id DESC LIMIT 1"
    row = one(connection, query, values)
    if row is None:
        return None
    number, kind, started, finished, source, base_dn, dns_name, short_name, domain_sid, invocation_id, usn, rest = row
    others = _others(rest)
    domain = Domain(base_dn, dns_name, short_name, Sid(domain_sid), tuple(one.domain for one in others))
    begun, ended = (datetime.fromtimestamp(moment, UTC) for moment in (started, finished))
    return StoredCollection(number, CollectionFacts(kind, begun, ended, source, domain, invocation_id, usn, others))


def _written(others: Iterable[DomainRead]) -> str:
    rows = [
        (
            of.name,
            of.domain.base_dn,
            of.domain.dns_name,
            of.domain.short_name,
            of.domain.sid,
            of.invocation_id,
            of.highest_usn,
        )
        for of in others
    ]
    return json.dumps(rows) if rows else ""


def _others(text: str) -> tuple[DomainRead, ...]:
    if not text:
        return ()
    try:
        return tuple(
            DomainRead(str(name), Domain(base, dns, short, Sid.parse(sid)).beside(), str(server), int(usn))
            for name, base, dns, short, sid, server, usn in json.loads(text)
        )
    except (ValueError, TypeError, AttributeError, InputError) as error:
        raise StoreDamagedError("the domains of a collection cannot be read") from error


def valid_at(collection: int | None) -> str:
    """Return the condition for rows that hold now, or held after a collection."""
    if collection is None:
        return "until IS NULL"
    return f"since <= {int(collection)} AND (until IS NULL OR until > {int(collection)})"
