"""Names for a line that is being typed: one query each, and nothing loaded for it that takes longer than the query."""

from adzeguard.core.estate.principal import Kind
from adzeguard.store.connection import Database, is_text, one


def names_beginning(database: Database, part: str, kinds: frozenset[Kind], limit: int) -> list[tuple[str, Kind]]:
    """Return the names of objects that begin with a text, ignoring case, with what each is; sorted."""
    if not is_text(part):
        return []
    among = f" AND kind IN ({', '.join(str(int(kind)) for kind in kinds)})" if kinds else ""
    with database.reading() as connection:
        # Only the case of ASCII letters is left out of account by the database itself.
        folded = connection.dialect.folded.format("name")
        typed = connection.dialect.folded.format("?")
        within = f" AND {folded} >= {typed} AND {folded} < {typed} ORDER BY {folded} LIMIT {int(limit)}"
        ascii_alone = part.isascii() and bool(part)
        query = f"SELECT name, kind FROM object WHERE until IS NULL{among}{within if ascii_alone else ''}"
        # The last letter that there can be ends what begins with the text.
        rows = connection.rows(query, (part, f"{part}\U0010ffff") if ascii_alone else ())
    found = sorted((str(name), Kind(kind)) for name, kind in rows if str(name).casefold().startswith(part.casefold()))
    return found[:limit]


def ou_names(database: Database) -> list[str]:
    """Return the distinguished names of all OUs without the base, sorted."""
    with database.reading() as connection:
        base = one(connection, "SELECT base_dn FROM collection ORDER BY id DESC LIMIT 1")
        rows = connection.rows("SELECT dn FROM object WHERE until IS NULL AND kind = ?", (int(Kind.OU),))
    tail = f",{base[0]}" if base else ""
    return sorted(str(dn).removesuffix(tail) for (dn,) in rows)


def enactments_beginning(database: Database, part: str, limit: int) -> list[tuple[str, str]]:
    """Return the names of enactments that begin with a text, the latest first, with when and by whom."""
    query = (
        "SELECT enactment, min(at), min(\"by\") FROM journal WHERE enactment <> '' GROUP BY enactment"
        f" ORDER BY max(seq) DESC LIMIT {int(limit)}"
    )
    with database.reading() as connection:
        rows = connection.rows(query)
    return [
        (str(name), f"{str(at)[:16].replace('T', ' ')} UTC by {by}") for name, at, by in rows if name.startswith(part)
    ]
