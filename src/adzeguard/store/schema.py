"""The tables of the store, and how an older store becomes a current one.

History is kept by validity: a row holds from collection `since` until before collection `until`; what holds now has no
`until`. The members of a group are one row: three runs of little-endian int32, sorted (nested groups, everybody else
listed, and those whose primary group it is).
"""

from collections.abc import Callable

from sqlalchemy import (
    Column,
    Connection,
    Float,
    Index,
    Integer,
    LargeBinary,
    MetaData,
    Table,
    Text,
    UniqueConstraint,
    text,
)

VERSION = 1
metadata = MetaData()

about = Table("about", metadata, Column("name", Text, primary_key=True), Column("value", Text, nullable=False))

collection = Table(
    "collection",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("kind", Text, nullable=False),
    Column("started", Float, nullable=False),
    Column("finished", Float, nullable=False),
    Column("source", Text, nullable=False),
    Column("base_dn", Text, nullable=False),
    Column("dns_name", Text, nullable=False),
    Column("short_name", Text, nullable=False),
    Column("domain_sid", Text, nullable=False),
    Column("invocation_id", Text, nullable=False),
    Column("highest_usn", Integer, nullable=False),
)

authority = Table(
    "authority",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("text", Text, nullable=False, unique=True),
)

descriptor = Table(
    "descriptor",
    metadata,
    Column("key", LargeBinary, primary_key=True),
    Column("data", LargeBinary, nullable=False),
)

object_row = Table(
    "object",
    metadata,
    Column("id", Integer, nullable=False),
    Column("since", Integer, nullable=False),
    Column("until", Integer),
    Column("key", LargeBinary, nullable=False),
    Column("kind", Integer, nullable=False),
    Column("flags", Integer, nullable=False),
    Column("authority", Integer),
    Column("rid", Integer),
    Column("primary_rid", Integer, nullable=False),
    Column("name", Text, nullable=False),
    Column("name_hash", Integer, nullable=False),
    Column("dn", Text, nullable=False),
    Column("dn_hash", Integer, nullable=False),
    Column("created", Integer, nullable=False),
    Column("last_logon", Integer, nullable=False),
    Column("password_set", Integer, nullable=False),
    Column("expires", Integer, nullable=False),
    Column("descriptor", LargeBinary),
    Column("details", Text, nullable=False),
    UniqueConstraint("id", "since"),
)

_now = text("until IS NULL")
object_indexes = (
    Index("object_by_name", object_row.c.name_hash, sqlite_where=_now, postgresql_where=_now),
    Index("object_by_dn", object_row.c.dn_hash, sqlite_where=_now, postgresql_where=_now),
    Index("object_by_sid", object_row.c.rid, sqlite_where=_now, postgresql_where=_now),
    Index(
        "object_by_kind",
        object_row.c.kind,
        sqlite_where=text("until IS NULL AND kind > 2"),
        postgresql_where=_now,
    ),
)

membership = Table(
    "membership",
    metadata,
    Column("group_id", Integer, nullable=False),
    Column("since", Integer, nullable=False),
    Column("until", Integer),
    Column("security", Integer, nullable=False),
    Column("nested", LargeBinary, nullable=False),
    Column("people", LargeBinary, nullable=False),
    Column("primaries", LargeBinary, nullable=False),
    UniqueConstraint("group_id", "since"),
)

host = Table(
    "host",
    metadata,
    Column("id", Integer, nullable=False),
    Column("since", Integer, nullable=False),
    Column("until", Integer),
    Column("trouble", Text, nullable=False),
    Column("state", Text, nullable=False),
    UniqueConstraint("id", "since"),
)

journal = Table(
    "journal",
    metadata,
    Column("seq", Integer, primary_key=True),
    Column("at", Text, nullable=False),
    Column("by", Text, nullable=False),
    Column("kind", Text, nullable=False),
    Column("enactment", Text, nullable=False),
    Column("body", Text, nullable=False),
    Column("previous", Text, nullable=False),
    Column("hash", Text, nullable=False),
)

MIGRATIONS: tuple[Callable[[Connection], None], ...] = (metadata.create_all,)
"""Step i brings a store from version i to version i + 1. A step and the note of it share one transaction."""
