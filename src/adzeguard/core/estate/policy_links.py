"""The directory policies that are linked to a container, as its attribute `gPLink` lists them ([MS-GPOL] 2.2.2)."""

import re
from collections.abc import Iterator
from typing import Final

from adzeguard.core.identity import fold_dn
from adzeguard.core.values import dataclass

_LINK: Final = re.compile(r"\[LDAP://([^\];]+);(\d{1,10})\]", re.IGNORECASE)
_OFF: Final = 1
_ENFORCED: Final = 2


@dataclass(frozen=True, slots=True)
class PolicyLink:
    """One link: the policy's distinguished name, whether the link is on, and whether nothing below can block it."""

    policy_dn: str
    on: bool
    enforced: bool


def is_links(text: str) -> bool:
    """Tell whether a text is a list of links and nothing else."""
    return bool(text) and not _LINK.sub("", text)


def without_link(text: str, policy_dn: str) -> str:
    """Return the text without the links to one policy, all others and their order as they are."""
    wanted = fold_dn(policy_dn)
    return _LINK.sub(lambda link: "" if fold_dn(link[1]) == wanted else link[0], text)


def policy_links(text: str) -> Iterator[PolicyLink]:
    """Yield the links in their order; what cannot be read is passed over, as the clients of the directory do."""
    for dn, options in _LINK.findall(text):
        yield PolicyLink(dn, not int(options) & _OFF, bool(int(options) & _ENFORCED))
