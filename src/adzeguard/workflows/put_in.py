"""What rules have put in, as the estate knows it now."""

from adzeguard.core.change.change import Change
from adzeguard.core.estate.estate import Estate
from adzeguard.store.journal import Journal
from adzeguard.store.put_in import PutIn
from adzeguard.workflows.journal_rows import really_done
from adzeguard.workflows.made_again import as_known_today


def put_in_by_rules(table: PutIn, journal: Journal, estate: Estate) -> list[Change]:
    """Return the changes of rules that nothing of ours has taken back."""

    def all_done() -> list[Change]:
        return really_done(journal.rows())

    if table.is_to_be_gathered():
        if not journal.count():
            return []  # nothing was ever done here, and nothing is written by whoever only looks
        done = all_done()
        table.gather(as_known_today(estate, done, lambda: done))
    return as_known_today(estate, table.changes(), all_done)
