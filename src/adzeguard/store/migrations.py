"""The tables of the store as they first were, and each step from there to today.

History is kept by validity: a row holds from collection `since` until before collection `until`; what holds now has no
`until`. The members of a group are one row: three runs of little-endian int32, sorted (nested groups, everybody else
listed, and those whose primary group it is).

A step that has been released never changes. A new store goes all the steps, so that it comes out the same.
"""

import json
from collections.abc import Callable
from typing import Any, Final

from adzeguard.core.errors import StoreError, StoreTooNewError
from adzeguard.store.connection import Connection, Database, is_text, one
from adzeguard.store.indexes import DETAIL_KEYS

_FIRST_TABLES: Final = (
    "about (name TEXT NOT NULL PRIMARY KEY, value TEXT NOT NULL)",
    (
        "collection (id INTEGER NOT NULL PRIMARY KEY, kind TEXT NOT NULL, started FLOAT NOT NULL,"
        " finished FLOAT NOT NULL, source TEXT NOT NULL, base_dn TEXT NOT NULL,"
        " dns_name TEXT NOT NULL, short_name TEXT NOT NULL,"
        " domain_sid TEXT NOT NULL, invocation_id TEXT NOT NULL, highest_usn INTEGER NOT NULL)"
    ),
    "authority (id INTEGER NOT NULL PRIMARY KEY, text TEXT NOT NULL UNIQUE)",
    'descriptor ("key" BLOB NOT NULL PRIMARY KEY, data BLOB NOT NULL)',
    (
        'object (id INTEGER NOT NULL, since INTEGER NOT NULL, until INTEGER, "key" BLOB NOT NULL,'
        " kind INTEGER NOT NULL, flags INTEGER NOT NULL, authority INTEGER, rid INTEGER,"
        " primary_rid INTEGER NOT NULL, name TEXT NOT NULL,"
        " name_hash INTEGER NOT NULL, dn TEXT NOT NULL, dn_hash INTEGER NOT NULL, created INTEGER NOT NULL,"
        " last_logon INTEGER NOT NULL, password_set INTEGER NOT NULL, expires INTEGER NOT NULL, descriptor BLOB,"
        " details TEXT NOT NULL, UNIQUE (id, since))"
    ),
    (
        "membership (group_id INTEGER NOT NULL, since INTEGER NOT NULL, until INTEGER, security INTEGER NOT NULL,"
        " nested BLOB NOT NULL, people BLOB NOT NULL, primaries BLOB NOT NULL, UNIQUE (group_id, since))"
    ),
    (
        "host (id INTEGER NOT NULL, since INTEGER NOT NULL, until INTEGER, trouble TEXT NOT NULL, state TEXT NOT NULL,"
        " UNIQUE (id, since))"
    ),
    (
        'journal (seq INTEGER NOT NULL PRIMARY KEY, at TEXT NOT NULL, "by" TEXT NOT NULL, kind TEXT NOT NULL,'
        " apply TEXT NOT NULL, body TEXT NOT NULL, previous TEXT NOT NULL, hash TEXT NOT NULL)"
    ),
)
FIRST_INDEXES: Final = {
    "object_by_name": "object (name_hash) WHERE until IS NULL",
    "object_by_dn": "object (dn_hash) WHERE until IS NULL",
    "object_by_sid": "object (rid) WHERE until IS NULL",
    "object_by_kind": "object (kind) WHERE until IS NULL AND kind > 2",
}
_OF_FORM_TWO: Final = (
    "put_in (claim TEXT NOT NULL PRIMARY KEY, rule TEXT NOT NULL, format INTEGER NOT NULL, change TEXT NOT NULL)",
    "checked (id INTEGER NOT NULL PRIMARY KEY, at TEXT NOT NULL, collection INTEGER NOT NULL, counts TEXT NOT NULL)",
)


OBJECT_INDEXES_OF_FORM_TWO: Final = {
    "object_by_key": "object (key)",
    "object_by_descriptor": "object (descriptor, kind, id) WHERE until IS NULL AND descriptor IS NOT NULL",
}
"""Rights are looked at by the few descriptors that all objects share: with this index that reads no row of them."""


def _make(connection: Connection, *tables: str) -> None:
    dialect = connection.dialect
    for table in tables:
        words = table.replace("INTEGER", dialect.integer).replace("FLOAT", dialect.real)
        connection.run(f"CREATE TABLE {words.replace('BLOB', dialect.blob)}")


def _first_schema(connection: Connection) -> None:
    _make(connection, *_FIRST_TABLES)
    for name, words in FIRST_INDEXES.items():
        connection.run(f"CREATE INDEX {name} ON {words}")


def _form_two(connection: Connection) -> None:
    """Rows of the journal and states of hosts carry their form, and what rules have put in has a table of its own."""
    connection.run("UPDATE collection SET kind = 'enactment' WHERE kind = 'apply'")
    connection.run("ALTER TABLE journal RENAME COLUMN apply TO enactment")
    connection.run(f"ALTER TABLE journal ADD COLUMN format {connection.dialect.integer} NOT NULL DEFAULT 1")
    connection.run("CREATE INDEX journal_by_enactment ON journal (enactment)")
    for name, words in OBJECT_INDEXES_OF_FORM_TWO.items():
        connection.run(f"CREATE INDEX {name} ON {words}")
    _make(connection, *_OF_FORM_TWO)
    states = connection.rows("SELECT id, since, state FROM host WHERE state <> ''")
    connection.run_many(
        "UPDATE host SET state = ? WHERE id = ? AND since = ?", [(_named(s), i, since) for i, since, s in states]
    )
    connection.run("INSERT INTO about (name, value) VALUES ('put-in', 'to be gathered')")


def _named(state: str) -> str:
    """Give the fields of a host's state their names. A state that cannot be read is left for a collection to heal."""
    try:
        machine, accounts, groups = json.loads(state)
        part = {
            "accounts": [{"name": name, "sid": sid, "enabled": bool(enabled)} for name, sid, enabled in accounts],
            "groups": [{"name": name, "sid": sid, "members": members} for name, sid, members in groups],
        }
    except (ValueError, TypeError):
        return ""
    return json.dumps({"machine_sid": machine, "parts": {"local-groups": part}}, separators=(",", ":"))


def _form_three(connection: Connection) -> None:
    """A host says through which source it is reached; there was one before, of this name."""
    connection.run("ALTER TABLE host ADD COLUMN source TEXT NOT NULL DEFAULT 'hosts'")


def _form_four(connection: Connection) -> None:
    """What could not be made on hosts that were off has a table of its own, and accounts tell how they sign in."""
    _make(
        connection,
        "pending (claim TEXT NOT NULL PRIMARY KEY, host TEXT NOT NULL, since TEXT NOT NULL, tries INTEGER NOT NULL,"
        " detail TEXT NOT NULL, format INTEGER NOT NULL, change TEXT NOT NULL)",
    )
    # More is read of accounts now: the next collection must be a full one, and a server of no name is another one.
    connection.run("UPDATE collection SET invocation_id = ''")


def _form_five(connection: Connection) -> None:
    """The trail: events, each once, by what was logged; and how far each log that is followed has been read."""
    _make(
        connection,
        'trail ("key" BLOB NOT NULL PRIMARY KEY, at INTEGER NOT NULL, verb TEXT NOT NULL, by_name TEXT NOT NULL,'
        " by_sid TEXT NOT NULL, what TEXT NOT NULL, what_sid TEXT NOT NULL, whom TEXT NOT NULL,"
        " whom_sid TEXT NOT NULL, origin TEXT NOT NULL, number INTEGER NOT NULL)",
        'trail_aside ("key" BLOB NOT NULL PRIMARY KEY, source TEXT NOT NULL, reason TEXT NOT NULL, text TEXT NOT NULL)',
        "trail_place (source TEXT NOT NULL PRIMARY KEY, file TEXT NOT NULL, place INTEGER NOT NULL)",
    )
    for name, words in TRAIL_INDEXES.items():
        connection.run(f"CREATE INDEX {name} ON {words}")


def _form_six(connection: Connection) -> None:
    """Leases: memberships with an end; and shifts, which make them."""
    _make(
        connection,
        "lease (id TEXT NOT NULL PRIMARY KEY, member TEXT NOT NULL, member_sid TEXT NOT NULL,"
        " group_name TEXT NOT NULL, group_sid TEXT NOT NULL, host TEXT NOT NULL, begun TEXT NOT NULL,"
        ' until_ TEXT NOT NULL, "by" TEXT NOT NULL, why TEXT NOT NULL, state TEXT NOT NULL,'
        " stood_before INTEGER NOT NULL, extended INTEGER NOT NULL, ended TEXT NOT NULL, shift TEXT NOT NULL)",
        "shift (id TEXT NOT NULL PRIMARY KEY, member TEXT NOT NULL, member_sid TEXT NOT NULL,"
        " group_name TEXT NOT NULL, group_sid TEXT NOT NULL, host TEXT NOT NULL, rule TEXT NOT NULL,"
        " first TEXT NOT NULL, begins TEXT NOT NULL, ends TEXT NOT NULL, zone TEXT NOT NULL,"
        ' "by" TEXT NOT NULL, why TEXT NOT NULL, days_off TEXT NOT NULL, ended TEXT NOT NULL)',
    )


def _form_seven(connection: Connection) -> None:
    """Questions to owners, what was left as it is, and what somebody is to be told."""
    _make(
        connection,
        "question (id TEXT NOT NULL PRIMARY KEY, fingerprint TEXT NOT NULL, rule TEXT NOT NULL, owner TEXT NOT NULL,"
        " subject TEXT NOT NULL, subject_sid TEXT NOT NULL, member TEXT NOT NULL, member_sid TEXT NOT NULL,"
        " host TEXT NOT NULL, message TEXT NOT NULL, says TEXT NOT NULL, asked_at TEXT NOT NULL,"
        " changed_at TEXT NOT NULL, changed_by TEXT NOT NULL, changed_from TEXT NOT NULL, again INTEGER NOT NULL,"
        " state TEXT NOT NULL, answered_by TEXT NOT NULL, answered_at TEXT NOT NULL, why TEXT NOT NULL)",
        "waiver (id TEXT NOT NULL PRIMARY KEY, fingerprint TEXT NOT NULL, rule TEXT NOT NULL, subject TEXT NOT NULL,"
        ' member TEXT NOT NULL, "by" TEXT NOT NULL, why TEXT NOT NULL, begun TEXT NOT NULL, until_ TEXT NOT NULL,'
        " renewed INTEGER NOT NULL, ended TEXT NOT NULL)",
        "letter (id INTEGER NOT NULL PRIMARY KEY, teller TEXT NOT NULL, kind TEXT NOT NULL, recipient TEXT NOT NULL,"
        " made_at TEXT NOT NULL, body TEXT NOT NULL, tries INTEGER NOT NULL, detail TEXT NOT NULL)",
        "letter_number (number INTEGER NOT NULL)",
    )


def _form_eight(connection: Connection) -> None:
    """File shares and the permissions of their folders, and what is put away until it is deleted."""
    blob = connection.dialect.blob
    _make(
        connection,
        "share (source TEXT NOT NULL, server TEXT NOT NULL, name TEXT NOT NULL, descriptor " + blob + " NOT NULL,"
        " read_at TEXT NOT NULL, trouble TEXT NOT NULL, PRIMARY KEY (server, name))",
        "folder (server TEXT NOT NULL, share TEXT NOT NULL, part TEXT NOT NULL, path TEXT NOT NULL,"
        " permissions " + blob + " NOT NULL, denied TEXT NOT NULL, PRIMARY KEY (server, share, path))",
        "permissions (key " + blob + " NOT NULL PRIMARY KEY, data " + blob + " NOT NULL)",
        "share_part (server TEXT NOT NULL, share TEXT NOT NULL, part TEXT NOT NULL, read_at TEXT NOT NULL,"
        " PRIMARY KEY (server, share, part))",
        "retired (id TEXT NOT NULL PRIMARY KEY, body TEXT NOT NULL)",
        "review (id TEXT NOT NULL PRIMARY KEY, body TEXT NOT NULL)",
    )


def _form_nine(connection: Connection) -> None:
    """Leases that the directory ends by itself, and leases that end with a contract."""
    for column in ("by_itself", "contract"):
        connection.run(f"ALTER TABLE lease ADD COLUMN {column} {connection.dialect.integer} NOT NULL DEFAULT 0")


def _form_ten(connection: Connection) -> None:
    """The chain tells each write of what is kept beside it: all that stands is told once. Questions are told again."""
    for column in ("told TEXT NOT NULL DEFAULT ''", "cannot_mend TEXT NOT NULL DEFAULT ''"):
        connection.run(f"ALTER TABLE question ADD COLUMN {column}")
    connection.run(f"ALTER TABLE question ADD COLUMN reminded {connection.dialect.integer} NOT NULL DEFAULT 0")
    _make(connection, "rule_name (id TEXT NOT NULL PRIMARY KEY, sid TEXT NOT NULL)")
    from adzeguard.store.kept import KEPT, adopt

    adopt(connection, [table for table in KEPT if has_table(connection, table)])


def _form_eleven(connection: Connection) -> None:
    """Of a logon: the host that the client claims to be, beside the one that has proved itself; and how it was.

    Beside these: the SIDs that were seen deleted, and did not merely vanish from what can be read; what was brought
    back of what is put away; and the schema of the server.
    What was read before knew one host, and of most logs the claimed one: nothing is judged by it any more.
    """
    for column in ("claimed", "way"):
        connection.run(f"ALTER TABLE trail ADD COLUMN {column} TEXT NOT NULL DEFAULT ''")
    _make(
        connection,
        "seen_deleted (sid TEXT NOT NULL PRIMARY KEY)",
        "server_schema (stamp TEXT NOT NULL PRIMARY KEY, body TEXT NOT NULL)",
        "back_link (group_name TEXT NOT NULL, group_sid TEXT NOT NULL, group_dn TEXT NOT NULL,"
        " member_name TEXT NOT NULL, member_sid TEXT NOT NULL, member_dn TEXT NOT NULL)",
        "brought_back (id TEXT NOT NULL PRIMARY KEY, at TEXT NOT NULL)",
    )
    # Managed service accounts were taken for hosts: the next collection must be a full one.
    connection.run("UPDATE collection SET invocation_id = ''")
    connection.run("UPDATE trail SET claimed = what, what = '' WHERE verb IN ('logon', 'refused')")


def _form_twelve(connection: Connection) -> None:
    """What has changed since a collection is found quickly; and each collection has a stamp.

    Also, the names of all local groups have a table of their own, so that most names are seen to be none at once.
    By the stamp a copy of what holds is known to be of this store, and not of one that was put back from a backup and
    then collected anew. What was collected before has none.
    """
    connection.run("ALTER TABLE collection ADD COLUMN stamp TEXT NOT NULL DEFAULT ''")
    _make(connection, "local_group_name (name TEXT NOT NULL PRIMARY KEY)")
    states = connection.rows("SELECT DISTINCT state FROM host WHERE state <> ''")
    names = {name.casefold() for (state,) in states for name in _local_group_names(state)}
    connection.run_many(
        "INSERT INTO local_group_name (name) VALUES (?)", [(name,) for name in sorted(names) if is_text(name)]
    )
    for name, words in (CHANGE_INDEXES | detail_indexes(connection) | prefix_index(connection)).items():
        connection.run(f"CREATE INDEX {name} ON {words}")


def _form_thirteen(connection: Connection) -> None:
    """The last check says what it found by check, and how much of it a proposal would put right."""
    connection.run("ALTER TABLE checked ADD COLUMN checks TEXT NOT NULL DEFAULT '{}'")
    connection.run("ALTER TABLE checked ADD COLUMN mendable INTEGER NOT NULL DEFAULT 0")


def _form_fourteen(connection: Connection) -> None:
    """Names of those of other domains; trusts are read, and who has rights alone: the next collection is a full one."""
    _make(
        connection,
        "foreign_name (sid TEXT NOT NULL PRIMARY KEY, name TEXT NOT NULL, kind TEXT NOT NULL, state TEXT NOT NULL,"
        " asked_at INTEGER NOT NULL)",
    )
    for name, words in detail_indexes(connection).items():
        connection.run(f"CREATE INDEX IF NOT EXISTS {name} ON {words}")
    connection.run("UPDATE collection SET invocation_id = ''")


def _form_fifteen(connection: Connection) -> None:
    """A collection can be of several domains: of those beside the first one it says what was read of each.

    More is read of how accounts sign in: the next collection is a full one.
    """
    connection.run("ALTER TABLE collection ADD COLUMN others TEXT NOT NULL DEFAULT ''")
    for name, words in detail_indexes(connection).items():
        connection.run(f"CREATE INDEX IF NOT EXISTS {name} ON {words}")
    connection.run("UPDATE collection SET invocation_id = ''")


def _form_sixteen(connection: Connection) -> None:
    """Whom and what changes of memberships name stands beside them once, and the few among many logons are found."""
    _make(
        connection,
        "trail_named (part TEXT NOT NULL, name TEXT NOT NULL, sid TEXT NOT NULL, PRIMARY KEY (part, name, sid))",
    )
    for part in ("what", "whom"):
        connection.run(
            f"INSERT INTO trail_named (part, name, sid) SELECT DISTINCT '{part}', {part}, {part}_sid FROM trail"
            " WHERE verb IN ('added', 'removed')"
        )
    connection.run("CREATE INDEX trail_of_memberships ON trail (at) WHERE verb IN ('added', 'removed')")


def _form_seventeen(connection: Connection) -> None:
    """Whom hosts saw when they were last read."""
    _make(
        connection,
        "seen_on (host INTEGER NOT NULL, sid TEXT NOT NULL, how TEXT NOT NULL, at INTEGER NOT NULL,"
        " collection INTEGER NOT NULL, PRIMARY KEY (host, sid, how))",
    )
    connection.run("CREATE INDEX seen_on_by_sid ON seen_on (sid)")


def _form_eighteen(connection: Connection) -> None:
    """Logons are found by whose they are, and by the host; whether any object was changed is found at once."""
    changes = "'created', 'changed', 'moved', 'deleted'"
    connection.run(f"CREATE INDEX trail_of_changes ON trail (at) WHERE verb IN ({changes})")
    logons = "verb IN ('logon', 'refused')"
    connection.run(f"CREATE INDEX trail_of_logons ON trail (whom_sid) WHERE {logons}")
    connection.run(f"CREATE INDEX trail_of_hosts ON trail (upper(what)) WHERE {logons} AND what <> ''")


def detail_indexes(connection: Connection) -> dict[str, str]:
    """Return the indexes by which the few objects with a certain detail are found among all."""
    holds = connection.dialect.holds
    return {
        f"object_with_{key}": f"object (id) WHERE until IS NULL AND {holds.format('details', text)}"
        for key, text in DETAIL_KEYS.items()
    }


def prefix_index(connection: Connection) -> dict[str, str]:
    """Return the index by which names that begin with a text are found while somebody types."""
    return {"object_by_prefix": f"object ({connection.dialect.folded.format('name')}, kind) WHERE until IS NULL"}


def _local_group_names(state: str) -> list[str]:
    """Return the names of the local groups in a state; none of one that cannot be read, which a collection heals."""
    try:
        return [str(group["name"]) for group in json.loads(state)["parts"]["local-groups"]["groups"]]
    except (ValueError, TypeError, KeyError):
        return []


CHANGE_INDEXES: Final = {
    f"{table}_by_{column}": f"{table} ({column}) WHERE {condition}"
    for table in ("object", "membership", "host")
    for column, condition in (("since", "since > 1"), ("until", "until IS NOT NULL"))
}
"""A first collection leaves them empty."""
TRAIL_INDEXES: Final = {
    "trail_by_time": "trail (at)",
    "object_by_former_dn": "object (dn_hash) WHERE until IS NOT NULL",
}
MIGRATIONS: Final[tuple[Callable[[Connection], None], ...]] = (
    _first_schema,
    _form_two,
    _form_three,
    _form_four,
    _form_five,
    _form_six,
    _form_seven,
    _form_eight,
    _form_nine,
    _form_ten,
    _form_eleven,
    _form_twelve,
    _form_thirteen,
    _form_fourteen,
    _form_fifteen,
    _form_sixteen,
    _form_seventeen,
    _form_eighteen,
)
"""Step i brings a store from version i to version i + 1. A step and the note of it share one transaction."""
VERSION: Final = len(MIGRATIONS)


def bring_up_to_date(database: Database, label: str) -> None:
    """Go the steps that a store has not gone yet; `StoreTooNewError` for one that a newer version wrote."""
    with database.reading() as connection:
        version = _version(connection, label)
    if version == VERSION:
        return
    if version > VERSION:
        known = f"{label} is of version {version}, and this program knows versions up to {VERSION}"
        raise StoreTooNewError(known, "Use the newer adzeguard")
    with database.writing() as connection:
        # Somebody else may have gone them while this one waited for the lock.
        for step in MIGRATIONS[_version(connection, label) :]:
            step(connection)
        connection.run(
            "INSERT INTO about (name, value) VALUES ('version', ?)"
            " ON CONFLICT (name) DO UPDATE SET value = excluded.value",
            (str(VERSION),),
        )


def _version(connection: Connection, label: str) -> int:
    if not has_table(connection, "about"):
        return 0
    row = one(connection, "SELECT value FROM about WHERE name = 'version'")
    value: Any = row[0] if row else "0"
    try:
        return int(value)
    except ValueError as error:
        raise StoreError(
            f"{label} says no version that is a number", "Move it away and run: adzeguard collect"
        ) from error


def has_table(connection: Connection, name: str) -> bool:
    """Tell whether a table is there, in any way the database keeps its own catalogue."""
    if connection.dialect.blob == "BLOB":
        return one(connection, "SELECT 1 FROM sqlite_master WHERE type = 'table' AND name = ?", (name,)) is not None
    present = one(connection, "SELECT 1 FROM pg_tables WHERE schemaname = current_schema() AND tablename = ?", (name,))
    return present is not None
