"""SIDs that accounts brought along from elsewhere, and that may still open doors."""

from collections.abc import Iterator, Sequence
from typing import Final

from adzeguard.core.check_row import Severity
from adzeguard.core.checks.check import Check
from adzeguard.core.checks.check_input import CheckInput
from adzeguard.core.checks.finding import Finding
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.principal import Principal
from adzeguard.core.identity import Sid
from adzeguard.core.wellknown import MADE_BY_STAFF, is_built_in_group

_MEND: Final = "Take it out of sIDHistory, with the tools of the directory server; then: adzeguard collect"


def check_sid_history(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield each SID of a history; those that make somebody privileged apart.

    Tokens hold them where the server puts them in ([MS-ADTS] 3.1.1.4.5.19); Samba 4.17 does not, as was seen.
    """
    estate = looked_at.estate
    carrying = estate.catalogue.principals(estate.catalogue.with_detail("sid_history").tolist())
    for one in sorted(carrying.values(), key=lambda p: p.qualified_name.casefold()):
        for sid in map(Sid, one.details.get("sid_history") or ()):
            called = estate.who_are([sid])[sid].qualified_name
            check = "privileged-sid-history" if _is_privileged(estate, looked_at.privileged, sid) else "sid-history"
            message = f"{one.qualified_name} brings {called} along in its history, and counts as that in tokens"
            yield Finding(check, Named.of(one), message, evidence={"former_sid": sid})


def _is_privileged(estate: Estate, privileged: Sequence[Principal], sid: Sid) -> bool:
    """Tell whether it is one that every domain is born with, or leads into a privileged group by membership."""
    if is_built_in_group(sid) or (estate.domain.of_sid(sid) is not None and sid.rid < MADE_BY_STAFF):
        return True
    found = estate.id_of_sid(sid)
    inside = {found, *estate.graph.effective_groups(found).tolist()} if found is not None else set()
    return not inside.isdisjoint(group.id for group in privileged)


SID_HISTORY_CHECKS: Final[tuple[Check, ...]] = (
    Check(
        "privileged-sid-history",
        "A privileged SID is in the history of an account",
        "Anyone who signs in with the account can act as an administrator, and no membership shows it.",
        _MEND,
        Severity.CRITICAL,
        check_sid_history,
        evidence=("former_sid",),
    ),
    Check(
        "sid-history",
        "An account brings a SID from elsewhere along",
        "What is granted to the former account goes on counting for this one.",
        _MEND,
        Severity.LOW,
        check_sid_history,
        evidence=("former_sid",),
    ),
)
