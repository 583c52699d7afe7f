"""Only attributes that this program knows the meaning of are set, and only to values that it can weigh."""

import re
from collections.abc import Iterator
from typing import Final

from adzeguard.core.change.guards.case import Case
from adzeguard.core.change.kinds.set_attributes import SetAttributes
from adzeguard.core.estate.group_types import is_group_type
from adzeguard.core.estate.logon_hours import ALWAYS, value_of
from adzeguard.core.estate.policy_links import is_links

SETTABLE: Final = frozenset(
    {
        "description",
        "mail",
        "managedby",
        "grouptype",
        "samaccountname",
        "wellknownobjects",
        "userworkstations",
        "logonhours",
        "gplink",
        "accountexpires",
    }
)
"""By their folded names. Setting any attribute at all would get past every other guard: `member` is an attribute, and
so are what disables an account and the descriptor itself."""
_STEPS: Final = re.compile(rb"[0-9]{1,19}")
_HOSTS: Final = re.compile(rb"[A-Za-z0-9_.$-]+(,[A-Za-z0-9_.$-]+)*")


def odd_settings(case: Case) -> Iterator[str]:
    """Yield a reason for each attribute that is not one of ours to set, and each kind of group that is none."""
    for change in case.changes:
        if not isinstance(change, SetAttributes):
            continue
        for attribute in change.attributes:
            name = attribute.name.casefold()
            if name not in SETTABLE:
                yield f"{change.id}: {attribute.name} is not set by a proposal, only {', '.join(sorted(SETTABLE))}"
            elif name == "grouptype" and not (len(attribute.after) == 1 and is_group_type(attribute.after[0])):
                yield f"{change.id}: the new groupType of {change.object.name} is no kind of group"
            elif name == "accountexpires" and not all(_STEPS.fullmatch(value) for value in attribute.after):
                yield f"{change.id}: the new accountExpires of {change.object.name} is no time"
            elif name == "logonhours" and any(len(value) != len(value_of(ALWAYS)) for value in attribute.after):
                yield f"{change.id}: the new logonHours of {change.object.name} are no hours of a week"
            elif name == "gplink" and not all(is_links(value.decode("utf-8", "replace")) for value in attribute.after):
                yield f"{change.id}: the new gPLink of {change.object.name} is no list of links to directory policies"
            elif name == "userworkstations" and not all(_HOSTS.fullmatch(value) for value in attribute.after):
                yield f"{change.id}: the new userWorkstations of {change.object.name} are no names of hosts"
