"""For what somebody else must say yes here, and whose yes counts."""

from datetime import datetime
from typing import TYPE_CHECKING

from adzeguard.settings.settings import ApprovalSettings

if TYPE_CHECKING:
    from adzeguard.core.change.guards.needs import ApprovalNeeds
    from adzeguard.core.estate.estate import Estate
    from adzeguard.workflows.approval import Approving


def approving(settings: ApprovalSettings, now: datetime) -> "Approving":
    """By whose rules an approval counts."""
    from adzeguard.core.errors import SettingsError

    if settings.signers is None:
        raise SettingsError("adzeguard.toml names nobody who may approve", "Set [approval] signers to their file")
    try:
        from adzeguard.workflows.approval import Approving
    except ModuleNotFoundError as error:
        raise SettingsError("approving needs an extra package", "pip install 'adzeguard[approval]'") from error
    return Approving(settings.signers, settings.days, now)


def approval_needs(settings: ApprovalSettings, estate: "Estate") -> "ApprovalNeeds":
    """For what somebody else must say yes."""
    from adzeguard.core.change.guards.needs import NO_NEEDS, ApprovalNeeds
    from adzeguard.core.change.kinds.table import CHANGE_KINDS
    from adzeguard.core.errors import SettingsError
    from adzeguard.core.wording import did_you_mean
    from adzeguard.workflows.charter import named_principals

    if not settings.is_needed:
        return NO_NEEDS
    for name in settings.changes:
        if name not in CHANGE_KINDS:
            near = did_you_mean(name, CHANGE_KINDS)
            raise SettingsError(f"adzeguard.toml: [approval] changes: no change is a '{name}'{near}")
    groups = named_principals(estate, settings.groups, "groups", "approval")
    return ApprovalNeeds(frozenset(one.id for one in groups), settings.hosts, frozenset(settings.changes))
