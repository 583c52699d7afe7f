"""What rules have put in, as the estate knows it now."""

from adzeguard.core.change.change import Change
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import Named
from adzeguard.store.journal import Journal
from adzeguard.store.put_in import PutIn
from adzeguard.workflows.journal_rows import really_done


def put_in_by_rules(table: PutIn, journal: Journal, estate: Estate) -> list[Change]:
    """Return the changes of rules that nothing of ours has taken back."""
    if table.is_to_be_gathered():
        table.gather(with_known_identity(estate, change) for change in really_done(journal.rows()))
    return [with_known_identity(estate, change) for change in table.changes()]


def with_known_identity(estate: Estate, change: Change) -> Change:
    """Give what a proposal has made itself the SID that is known by now."""

    def known(named: Named) -> Named:
        if not named.made:
            return named
        object_id = estate.catalogue.by_dn(named.dn)
        return Named.of(estate.principal(object_id)) if object_id is not None else named

    return change.renamed(known)
