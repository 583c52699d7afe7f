"""The tables of file shares: what stands on each folder, as it was read last."""

from collections.abc import Iterable
from datetime import datetime

from adzeguard.core.access.shares import Folder, Share, Shared
from adzeguard.store.columns import descriptor_key
from adzeguard.store.connection import Database

_AT_ONCE = 2000


class Shares:
    """Reads and writes them. Each part of a share, which is a folder at its top, is written whole."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def load(self) -> Shared:
        """Return all that was read."""
        with self._database.reading() as connection:
            shares = [
                Share(source, server, name, bytes(descriptor), datetime.fromisoformat(at), trouble)
                for source, server, name, descriptor, at, trouble in connection.rows(
                    "SELECT source, server, name, descriptor, read_at, trouble FROM share ORDER BY server, name"
                )
            ]
            data = {bytes(key): bytes(raw) for key, raw in connection.rows("SELECT key, data FROM permissions")}
            rows = connection.rows("SELECT server, share, path, permissions, denied FROM folder ORDER BY path")
        by_name: dict[tuple[str, str], list[Folder]] = {}
        for server, share, path, key, denied in rows:
            by_name.setdefault((server, share), []).append(Folder(path, data.get(bytes(key), b""), denied))
        return Shared(shares, {share: by_name.get((share.server, share.name), []) for share in shares})

    def permissions(self) -> list[bytes]:
        """Return every distinct descriptor of shares and their folders."""
        with self._database.reading() as connection:
            folders = connection.rows("SELECT data FROM permissions")
            shares = connection.rows("SELECT DISTINCT descriptor FROM share")
            return [bytes(raw) for (raw,) in (*folders, *shares)]

    def write_share(self, share: Share) -> None:
        """Write what is known of a share itself."""
        values = (share.source, share.server, share.name, share.descriptor, share.read_at.isoformat(), share.trouble)
        with self._database.writing() as connection:
            connection.run("DELETE FROM share WHERE server = ? AND name = ?", (share.server, share.name))
            connection.run(
                "INSERT INTO share (source, server, name, descriptor, read_at, trouble) VALUES (?, ?, ?, ?, ?, ?)",
                values,
            )

    def write_part(self, share: Share, part: str, folders: Iterable[Folder]) -> int:
        """Write the folders of one part over those that stood there, and note that it is read; how many they are."""
        listed = list(folders)
        keyed = [(descriptor_key(one.descriptor) if one.descriptor else b"", one) for one in listed]
        where = (share.server, share.name, part)
        with self._database.writing() as connection:
            connection.run("DELETE FROM folder WHERE server = ? AND share = ? AND part = ?", where)
            connection.run_many(
                "INSERT INTO permissions (key, data) VALUES (?, ?) ON CONFLICT (key) DO NOTHING",
                {key: (key, one.descriptor) for key, one in keyed if key}.values(),
            )
            connection.run_many(
                "INSERT INTO folder (server, share, part, path, permissions, denied) VALUES (?, ?, ?, ?, ?, ?)",
                [(*where, one.path, key, one.denied) for key, one in keyed],
            )
            connection.run("DELETE FROM share_part WHERE server = ? AND share = ? AND part = ?", where)
            connection.run(
                "INSERT INTO share_part (server, share, part, read_at) VALUES (?, ?, ?, ?)",
                (*where, share.read_at.isoformat()),
            )
        return len(listed)

    def parts_read(self, server: str, share: str) -> dict[str, datetime]:
        """Return the parts of a share of which reading began and did not come to the end, and when each was read."""
        query = "SELECT part, read_at FROM share_part WHERE server = ? AND share = ?"
        with self._database.reading() as connection:
            return {part: datetime.fromisoformat(at) for part, at in connection.rows(query, (server, share))}

    def end(self, share: Share, parts: Iterable[str]) -> None:
        """Say that a share was read to its end: what lay in other parts is gone."""
        where = (share.server, share.name)
        kept = set(parts)
        with self._database.writing() as connection:
            known = connection.rows("SELECT DISTINCT part FROM folder WHERE server = ? AND share = ?", where)
            for (part,) in known:
                if part not in kept:
                    connection.run("DELETE FROM folder WHERE server = ? AND share = ? AND part = ?", (*where, part))
            connection.run("DELETE FROM share_part WHERE server = ? AND share = ?", where)

    def forget_others(self, source: str, names: Iterable[str]) -> None:
        """Forget the shares that a server has no more."""
        kept = {name.casefold() for name in names}
        with self._database.writing() as connection:
            for server, name in connection.rows("SELECT server, name FROM share WHERE source = ?", (source,)):
                if str(name).casefold() not in kept:
                    for table, column in (("share", "name"), ("folder", "share"), ("share_part", "share")):
                        connection.run(f"DELETE FROM {table} WHERE server = ? AND {column} = ?", (server, name))

    def replace_folder(self, server: str, share: str, path: str, descriptor: bytes) -> None:
        """Write what stands on one folder now."""
        key = descriptor_key(descriptor)
        with self._database.writing() as connection:
            connection.run(
                "INSERT INTO permissions (key, data) VALUES (?, ?) ON CONFLICT (key) DO NOTHING", (key, descriptor)
            )
            connection.run(
                "UPDATE folder SET permissions = ? WHERE server = ? AND share = ? AND path = ?",
                (key, server, share, path),
            )
