"""What the names in rules stood for when they were last looked up: an object is known again when it is renamed."""

from collections.abc import Mapping

from adzeguard.store.connection import Database
from adzeguard.store.kept import believed, note_kept


class RuleNamesKept:
    """The table of names, folded, with SIDs."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self) -> dict[str, str]:
        """Return what each name stood for."""
        with self._database.reading() as connection:
            rows = connection.rows("SELECT id, sid FROM rule_name")
            good = believed(self._database, connection, "rule_name")
        return {name: sid for name, sid in rows if good is None or name in good}

    def forget(self) -> None:
        """Forget what any name stood for."""
        with self._database.writing() as connection:
            names = [str(name) for (name,) in connection.rows("SELECT id FROM rule_name")]
            connection.run("DELETE FROM rule_name")
            note_kept(connection, "rule_name", names)

    def keep(self, names: Mapping[str, str]) -> None:
        """Keep what names stand for now."""
        with self._database.writing() as connection:
            connection.run_many("DELETE FROM rule_name WHERE id = ?", [(name,) for name in names])
            connection.run_many("INSERT INTO rule_name (id, sid) VALUES (?, ?)", list(names.items()))
            note_kept(connection, "rule_name", names)
