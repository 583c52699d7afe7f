"""Which accounts a directory policy is for: those that its entries let apply it ([MS-GPOL] 2.2.4, 3.2.5.1.6)."""

from collections.abc import Callable
from typing import Final

from adzeguard.core.descriptors.ace import Right
from adzeguard.core.descriptors.descriptor import Descriptor, is_readable
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.rights.answers import Tokens
from adzeguard.core.rights.evaluate import Question, decide, speaks_about
from adzeguard.core.rights.questions import class_of_kind
from adzeguard.core.rights.schema import Schema
from adzeguard.core.wellknown import WELL_KNOWN

_APPLYING: Final = "Apply-Group-Policy"
_ANY_ACCOUNT: Final = frozenset({WELL_KNOWN["everyone"], WELL_KNOWN["authenticated-users"]})


class PolicyFilters:
    """The filters of one estate; each policy is read once, and most are for everybody."""

    def __init__(self, estate: Estate, schema: Schema, tokens: Callable[[], Tokens]) -> None:
        self._estate = estate
        self._tokens = tokens
        own = schema.classes.get(class_of_kind(Kind.POLICY))
        about = (schema.control_rights[_APPLYING], *((own,) if own else ()))
        self._question = Question(Right.CONTROL_ACCESS, about)
        self._known: dict[int, Descriptor | None] = {}

    def let(self, policy: int, account: Principal) -> bool:
        """Tell whether a policy is for an account; one whose entries were not read is for all."""
        if policy not in self._known:
            self._known[policy] = self._filtering(policy)
        descriptor = self._known[policy]
        if descriptor is None:
            return True
        return decide(descriptor, self._tokens().of(account), account.sid or "", self._question).allowed

    def _filtering(self, policy: int) -> Descriptor | None:
        """Return the descriptor of a policy that is not for everybody."""
        raw = self._estate.catalogue.descriptors([policy]).get(policy, b"")
        if not is_readable(raw):
            return None
        descriptor = Descriptor.from_bytes(raw)
        denied = any(entry.denies and speaks_about(entry, self._question) for entry in descriptor.entries)
        for_all = decide(descriptor, _ANY_ACCOUNT, "", self._question).allowed
        return None if for_all and not denied else descriptor
