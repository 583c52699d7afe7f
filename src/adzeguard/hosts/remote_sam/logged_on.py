"""Who is logged on to a host: in person, for a job or a service (MS-WKST 3.2.4.3), or over the network (MS-SRVS)."""

from collections.abc import Iterator
from typing import Any, Final

from impacket.dcerpc.v5 import srvs, wkst
from impacket.dcerpc.v5.dtypes import NULL

_USERS_WITH_DOMAINS: Final = 1
_SESSIONS_WITH_TIMES: Final = 1
_AT_MOST: Final = 10_000


def logged_on(service: Any, host: str) -> Iterator[str]:
    r"""Yield the qualified names of those who are, as DOMAIN\name; the host's own accounts are left out.

    A Samba member tells whom utmp has, with the domain in the name itself and the host's name where the domain should
    stand (seen with 4.17).
    """
    answer = wkst.hNetrWkstaUserEnum(service, _USERS_WITH_DOMAINS)
    for one in answer["UserInfo"]["WkstaUserInfo"]["Level1"]["Buffer"][:_AT_MOST]:
        name, domain = _text(one["wkui1_username"]), _text(one["wkui1_logon_domain"])
        # Its own account is known there alone: a computer's stands for nobody who could be told.
        if "\\" in name:
            yield name
        elif name and domain and domain.casefold() != host.casefold() and not name.endswith("$"):
            yield rf"{domain}\{name}"


def over_the_network(service: Any) -> Iterator[tuple[str, int]]:
    r"""Yield the qualified names of those who have sessions over the network, and for how many seconds (3.1.4.5).

    A host that tells names without their domains tells of nobody for sure: its own accounts may be called so too.
    """
    answer = srvs.hNetrSessionEnum(service, NULL, NULL, _SESSIONS_WITH_TIMES)
    for one in answer["InfoStruct"]["SessionInfo"]["Level1"]["Buffer"][:_AT_MOST]:
        name = _text(one["sesi1_username"])
        if "\\" in name:
            yield name, int(one["sesi1_time"])


def _text(value: Any) -> str:
    return str(value).rstrip("\0")
