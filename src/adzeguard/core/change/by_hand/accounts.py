"""What somebody changes by hand of one account of the directory: whether, and until when, it signs in."""

from datetime import datetime
from typing import Final

from adzeguard.core.change.change import BY_HAND_RULE
from adzeguard.core.change.draft import Draft, LeftOut
from adzeguard.core.change.kinds.object_change import AttributeChange
from adzeguard.core.change.kinds.set_account_control import SetAccountControl
from adzeguard.core.change.kinds.set_attributes import SetAttributes
from adzeguard.core.errors import UsageError
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.principal import ACCOUNTS, Principal
from adzeguard.core.file_time import steps_of

EXPIRY: Final = "accountExpires"


def switched(account: Principal, why: str, *, enable: bool) -> Draft:
    """Return the change that enables an account or disables it; a draft without one where it is so already."""
    _refuse_no_account(account)
    if account.enabled == enable:
        return _so_already(account, "is enabled already" if enable else "is disabled already")
    change = SetAccountControl(object=Named.of(account), control="disabled", on=not enable, rule=BY_HAND_RULE, why=why)
    return Draft.of([change])


def expiring(account: Principal, stands: str, until: datetime | None, why: str) -> Draft:
    """Return the change that lets an account expire at a moment, or never.

    `stands` is the value of accountExpires as the directory has it now ([MS-ADTS] 2.2.13), empty where it has none.
    """
    _refuse_no_account(account)
    wanted = str(steps_of(until))
    if stands == wanted:
        return _so_already(account, "expires then already" if until is not None else "never expires already")
    attribute = AttributeChange.of(EXPIRY, [stands] if stands else [], [wanted])
    return Draft.of([SetAttributes(object=Named.of(account), attributes=(attribute,), rule=BY_HAND_RULE, why=why)])


def _so_already(account: Principal, reason: str) -> Draft:
    left = LeftOut(subject=account.qualified_name, member="", rule=BY_HAND_RULE, reason=reason)
    return Draft((), left_out=(left,))


def _refuse_no_account(one: Principal) -> None:
    if one.kind not in ACCOUNTS:
        raise UsageError(f"{one.qualified_name} is {one.kind.one}, and no account", "See: adzeguard find --kind user")
