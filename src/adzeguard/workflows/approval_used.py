"""A yes counts once: what was made by it is not made again by it, though somebody took it back since."""

from collections.abc import Iterable

from adzeguard.core.change.outcome import MADE
from adzeguard.core.change.proposal import Proposal
from adzeguard.store.journal import JournalRow


def made_with_approval(rows: Iterable[JournalRow], proposal: Proposal) -> set[str]:
    """Return the ids of the changes of an approved proposal that were made; what came to nothing may be tried again.

    It is known by when and by whom it was made, which the signature is over: a signature itself can be written in
    several ways.
    """
    written = proposal.model_dump(mode="json", include={"made_at", "made_by"})
    of_it: set[str] = set()
    made: set[str] = set()
    for row in rows:
        if row.kind == "begin":
            earlier = row.body.get("proposal")
            if isinstance(earlier, dict) and row.body.get("approval") and written.items() <= earlier.items():
                of_it.add(row.enactment)
        elif row.kind == "outcome" and row.enactment in of_it and row.body.get("status") in MADE:
            made.add(str(row.body.get("change")))
    return made
