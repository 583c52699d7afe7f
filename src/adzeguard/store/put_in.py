"""What rules have put in and nothing of ours has taken out again, by what it claims: kept with each row of the journal.

The last maker of a change owns what it claims. Only what belongs to a rule is kept, since only rules take it back.
"""

import json
from collections.abc import Iterable
from typing import Final

from adzeguard.core.change.change import BY_HAND_RULE, UNDO_RULE, Change, Key
from adzeguard.core.change.written_change import FORMAT, read_change
from adzeguard.core.errors import ProposalFileError
from adzeguard.store.batches import among
from adzeguard.store.connection import Connection, Database, one
from adzeguard.store.kept import TO_BE_GATHERED, believed, note_kept

_OURS: Final = (BY_HAND_RULE, UNDO_RULE)


class PutIn:
    """The table of claims."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def is_to_be_gathered(self) -> bool:
        """Tell whether the journal must be read for it: after a store of an older version was brought up to date."""
        with self._database.reading() as connection:
            return one(connection, "SELECT 1 FROM about WHERE name = ?", (TO_BE_GATHERED,)) is not None

    def gather(self, done: Iterable[Change]) -> None:
        """Fill the table from all that was ever done, oldest first."""
        with self._database.writing() as connection:
            earlier = [str(claim) for (claim,) in connection.rows("SELECT claim FROM put_in")]
            connection.run("DELETE FROM put_in")
            claims = [claim for change in done for claim in note(connection, change)]
            connection.run("DELETE FROM about WHERE name = ?", (TO_BE_GATHERED,))
            note_kept(connection, "put_in", [*earlier, *claims])

    def forget(self, gone: Iterable[Change]) -> None:
        """Forget what rules have put in and somebody else has taken out since: who puts it in again, owns it."""
        claims = [(json.dumps(key),) for change in gone for key in change.claims()]
        if claims:
            with self._database.writing() as connection:
                connection.run_many("DELETE FROM put_in WHERE claim = ?", claims)
                note_kept(connection, "put_in", [claim for (claim,) in claims])

    def changes(self) -> list[Change]:
        """Return the changes of rules, each with what still belongs to it; what cannot be read is left alone."""
        with self._database.reading() as connection:
            rows = connection.rows("SELECT claim, format, change FROM put_in ORDER BY claim")
            good = believed(self._database, connection, "put_in")
        claims: dict[str, list[Key]] = {}
        forms: dict[str, int] = {}
        for claim, written_as, text in rows:
            if good is not None and claim not in good:
                continue
            claims.setdefault(text, []).append(tuple(json.loads(claim)))
            forms[text] = written_as
        whole = (_read(text, forms[text], keys) for text, keys in claims.items())
        return [change for change in whole if change is not None]


def note(connection: Connection, change: Change) -> list[str]:
    """Note a change that was made: what it claims belongs to it now. Return the claims that this wrote or took out."""
    claims = [json.dumps(key) for key in change.claims()]
    claimed = among("claim", len(claims))
    restores = False
    if claims:
        rows = connection.rows(f"SELECT format, change FROM put_in WHERE {claimed}", claims)
        earlier = [_read(text, written_as, ()) for written_as, text in rows]
        restores = any(e is not None and change.restores(e) for e in earlier)
        connection.run(f"DELETE FROM put_in WHERE {claimed}", claims)
    if change.rule in _OURS or change.leaves or restores:
        return claims
    text = json.dumps(change.model_dump(mode="json"), sort_keys=True)
    rows = [(json.dumps(key), change.rule, FORMAT, text) for key in change.puts_in()]
    connection.run_many("INSERT INTO put_in (claim, rule, format, change) VALUES (?, ?, ?, ?)", rows)
    return [*claims, *(claim for claim, *_ in rows)]


def _read(text: str, written_as: int, claims: Iterable[Key]) -> Change | None:
    try:
        change = read_change(json.loads(text), written_as)
    except (ValueError, ProposalFileError):
        return None
    keys = list(claims)
    return change.without(keys) or (change if keys == list(change.puts_in()) or not keys else None)
