"""Names of those of other domains, asked of a directory server over [MS-LSAT]: it asks the domains that it trusts."""

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from typing import Any, Final

from impacket.dcerpc.v5 import lsad, lsat
from impacket.dcerpc.v5.dtypes import MAXIMUM_ALLOWED
from impacket.dcerpc.v5.rpcrt import DCERPCException
from impacket.nt_errors import STATUS_NONE_MAPPED, STATUS_SOME_NOT_MAPPED

from adzeguard.core.errors import HostRefusedError
from adzeguard.core.estate.foreign import KNOWN, UNKNOWN_DOMAIN, UNKNOWN_THERE, ForeignName
from adzeguard.hosts.remote_sam.pipes import Address, Login, Pipes, library_errors, status_of

_AT_ONCE: Final = 1000
_KINDS: Final = {1: "user", 2: "group", 4: "domain local group", 9: "computer"}  # SID_NAME_USE, [MS-LSAT] 2.2.13
_PARTLY: Final = (STATUS_NONE_MAPPED, STATUS_SOME_NOT_MAPPED)
_LONGEST: Final = 256
_CANNOT: Final = "rpc_fault_cant_perform"
"""EPT_S_CANT_PERFORM_OP, [MS-ERREF] 2.2, which the library tells by its name alone."""


class LsaNames:
    """One directory server that knows what SIDs mean, here and in the domains that it trusts."""

    def __init__(self, address: Address, login: Login) -> None:
        self._address = address
        self._login = login

    def foreign_names(self, sids: list[str], now: int) -> list[ForeignName]:
        """Ask about some SIDs, over one connection; errors under `HostError`."""
        found: list[ForeignName] = []
        with self._policy() as (pipes, service, policy):
            for begin in range(0, len(sids), _AT_ONCE):
                some = sids[begin : begin + _AT_ONCE]
                pipes.begin()
                found += _read(some, _looked_up(service, policy, some), now)
        return found

    def sid_called(self, name: str) -> str:
        r"""Ask who is called `ISLE\ivo`; empty for nobody."""
        with self._policy() as (_, service, policy):
            try:
                answer = _asked(lambda: lsat.hLsarLookupNames(service, policy, [name]))
            except DCERPCException as error:
                if error.get_error_code() in _PARTLY:
                    return ""
                # Seen for a name that the other domain does not know, and for one of a domain that is off.
                said = f"the server cannot say who {name} is, its domain does not know or does not answer"
                raise HostRefusedError(f"{said}: {status_of(error)}", "Give the SID") from error
            one = answer["TranslatedSids"]["Sids"][0]
            domains = answer["ReferencedDomains"]["Domains"]
            at = int(one["DomainIndex"])
            known = int(one["Use"]) in _KINDS and 0 <= at < len(domains)
            return f"{domains[at]['Sid'].formatCanonical()}-{int(one['RelativeId'])}" if known else ""

    @contextmanager
    def _policy(self) -> Iterator[tuple[Pipes, Any, Any]]:
        pipes = Pipes(self._address, self._login)
        try:
            with library_errors(self._address.name):
                service = pipes.service("lsarpc")
                access = MAXIMUM_ALLOWED | lsat.POLICY_LOOKUP_NAMES
                yield pipes, service, lsad.hLsarOpenPolicy2(service, access)["PolicyHandle"]
        finally:
            pipes.close()


def _asked(question: Callable[[], Any]) -> Any:
    """Ask, and once more where the server lost the other domain.

    The first question after the other domain's server was started again finds a connection that is gone, and is
    refused; the next one makes it anew (seen with Samba 4.17).
    """
    try:
        return question()
    except DCERPCException as error:
        if status_of(error) != _CANNOT:
            raise
        return question()


def _looked_up(service: Any, policy: Any, sids: Sequence[str]) -> Any:
    level = lsat.LSAP_LOOKUP_LEVEL.LsapLookupWksta
    try:
        return _asked(lambda: lsat.hLsarLookupSids(service, policy, list(sids), level))
    except DCERPCException as error:
        # The library takes an answer that is not for all of them for a failure; what is known stands in it.
        if error.get_error_code() not in _PARTLY:
            said = f"their domain does not answer the server: {status_of(error)}"
            raise HostRefusedError(said, "They keep the names that they had") from error
        return error.get_packet()


def _read(sids: Sequence[str], answer: Any, now: int) -> Iterator[ForeignName]:
    domains = [str(one["Name"]) for one in answer["ReferencedDomains"]["Domains"] or ()]
    names = answer["TranslatedNames"]["Names"] or ()
    for sid, one in zip(sids, names, strict=False):
        at = int(one["DomainIndex"])
        domain = domains[at] if 0 <= at < len(domains) else ""
        kind = _KINDS.get(int(one["Use"]), "")
        name = _plain(str(one["Name"]))
        if kind and domain and name:
            yield ForeignName(sid, rf"{_plain(domain) or '?'}\{name}", kind, KNOWN, now)
        else:
            # A name in digits alone comes for a SID that the other domain does not know (seen: 0001869F).
            yield ForeignName(sid, "", "", UNKNOWN_THERE if domain else UNKNOWN_DOMAIN, now)


def _plain(text: str) -> str:
    """Return a name that another domain gave, or nothing where it could be taken for something else."""
    odd = "\\" in text or not text.isprintable() or len(text) > _LONGEST
    return "" if odd else text
