"""Only attributes that this program knows the meaning of are set, and only to values that it can weigh."""

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Final

from adzeguard.core.change.change import UNDO_RULE
from adzeguard.core.change.guards.case import Case
from adzeguard.core.change.kinds.object_change import AttributeChange
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
        "serviceprincipalname",
        "msds-supportedencryptiontypes",
    }
)
"""By their folded names. Setting any attribute at all would get past every other guard: `member` is an attribute, and
so are what disables an account and the descriptor itself."""
_STEPS: Final = re.compile(rb"[0-9]{1,19}")
_HOSTS: Final = re.compile(rb"[A-Za-z0-9_.$-]+(,[A-Za-z0-9_.$-]+)*")
_MODERN: Final = re.compile(rb"8|16|24")

Allowed = Callable[[Sequence[bytes]], bool]
_FORMS: Final[Mapping[str, tuple[Allowed, str]]] = {
    "grouptype": (lambda after: len(after) == 1 and is_group_type(after[0]), "is no kind of group"),
    "accountexpires": (lambda after: all(map(_STEPS.fullmatch, after)), "is no time"),
    "logonhours": (lambda after: all(len(v) == len(value_of(ALWAYS)) for v in after), "are no hours of a week"),
    "gplink": (
        lambda after: all(is_links(value.decode("utf-8", "replace")) for value in after),
        "is no list of links to directory policies",
    ),
    "userworkstations": (lambda after: all(map(_HOSTS.fullmatch, after)), "are no names of hosts"),
}
"""What the new values must be, and what is said of others."""
_TAKEN_ALONE: Final[Mapping[str, tuple[Allowed, str]]] = {
    "serviceprincipalname": (lambda after: not after, "are services, which no rule gives"),
    "msds-supportedencryptiontypes": (
        lambda after: len(after) == 1 and _MODERN.fullmatch(after[0]) is not None,
        "are not the ciphers that are whole",
    ),
}
"""What a rule sets in one direction alone: a service can be taken away, and a broken cipher. Undo puts back."""


def odd_settings(case: Case) -> Iterator[str]:
    """Yield a reason for each attribute that is not one of ours to set, and each value that is none of its kind."""
    for change in (one for one in case.changes if isinstance(one, SetAttributes)):
        for attribute in change.attributes:
            name = attribute.name.casefold()
            if name not in SETTABLE:
                yield f"{change.id}: {attribute.name} is not set by a proposal, only {', '.join(sorted(SETTABLE))}"
            form = _FORMS.get(name) or _TAKEN_ALONE.get(name)
            if form is not None and not form[0](attribute.after) and not _puts_back(case, change, attribute):
                yield f"{change.id}: the new {attribute.name} of {change.object.name} {form[1]}"


def _puts_back(case: Case, change: SetAttributes, attribute: AttributeChange) -> bool:
    """Tell whether these values stood there before a change of ours, by the journal and not by what the change says."""
    name = attribute.name.casefold()
    if change.rule != UNDO_RULE or name not in _TAKEN_ALONE:
        return False
    made = (one for one in case.made_before() if isinstance(one, SetAttributes) and _is_same(one, change))
    return any(a.name.casefold() == name and a.before == attribute.after for one in made for a in one.attributes)


def _is_same(one: SetAttributes, other: SetAttributes) -> bool:
    return bool(one.object.sid) and one.object.sid == other.object.sid
