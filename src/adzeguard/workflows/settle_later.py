"""Changes of hosts that no answer came to, and that could not be looked at again then: the next collection tells.

Without this, what a rule put in on a host that lost its connection at that moment would be taken for somebody else's,
and never be withdrawn (seen with scripts that were killed on a Linux host right after their write).
"""

from datetime import datetime, timedelta
from typing import Final

from adzeguard.core.change.change import Change
from adzeguard.core.change.host_change import HostChange
from adzeguard.core.change.outcome import Outcome, Status
from adzeguard.core.errors import StoreError
from adzeguard.core.estate.estate import Estate
from adzeguard.store.journal import Journal
from adzeguard.workflows.journal_rows import change_of

_AS_LONG_AS: Final = timedelta(days=30)


def settle_unknown(journal: Journal, estate: Estate, now: datetime, operator: str) -> int:
    """Write down of each such change whether it stands, where its host has answered now; return how many there were."""
    settled = 0
    for enactment in journal.unreached(now - _AS_LONG_AS):
        for change in _unknown(journal, enactment):
            host = estate.hosts_by_name.get(change.host_name.casefold())
            if host is None or host.state is None or host.trouble or not isinstance(change, HostChange):
                continue
            made = bool(change.stands(host.state))
            status = Status.VERIFIED if made else Status.HELD_BACK
            detail = "no answer came, and it was made" if made else "no answer came, and it was not made"
            body = {"change": change.id, "status": status, "detail": detail}
            journal.append("outcome", enactment, body, now, operator, Outcome(change, status, detail) if made else None)
            settled += 1
    return settled


def _unknown(journal: Journal, enactment: str) -> list[Change]:
    """Return the changes that were begun and of which nothing is known, in an enactment that has ended."""
    begun: dict[str, Change] = {}
    unknown: dict[str, Change] = {}
    for row in journal.rows(enactment=enactment):
        name = str(row.body.get("change", ""))
        try:
            if row.kind == "intent":
                change = change_of(row)
                begun[change.id] = change
        except StoreError:
            continue  # a row that cannot be read is told elsewhere, and stops nothing
        if row.kind == "outcome" and row.body.get("status") == Status.UNREACHABLE and name in begun:
            unknown[name] = begun[name]
        elif row.kind == "outcome":
            unknown.pop(name, None)
    return list(unknown.values())
