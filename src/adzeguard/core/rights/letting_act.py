"""Who could let an account act in the name of anybody: whoever may write its attributes, and holds the privilege."""

from collections.abc import Callable, Iterator

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.access.members import people_in_any
from adzeguard.core.descriptors.ace import Ace
from adzeguard.core.descriptors.descriptor import Descriptor, is_readable
from adzeguard.core.estate.delegation_right import lets_act
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import ACCOUNTS, Principal
from adzeguard.core.identity import Sid
from adzeguard.core.rights.answers import Everybody
from adzeguard.core.rights.questions import Asked
from adzeguard.core.rights.takeover import TakeoverReader
from adzeguard.core.rights.ways import LETTING_ACT
from adzeguard.core.wellknown import EVERYONE_LIKE, RID_DIRECTORY_SERVERS, RID_OF_ADMINISTRATORS


class LettingAct:
    """Finds them among those who do not rule the directory anyway: in most directories nobody else holds it."""

    def __init__(self, estate: Estate, reader: TakeoverReader, everybody: Callable[[], Everybody]) -> None:
        self._estate = estate
        self._reader = reader
        self._everybody = everybody

    def behind(self, domain: Principal, ruling: NDArray[np.bool_]) -> Iterator[tuple[int, Ace, Principal]]:
        """Yield who could, the entry by which they may write, and an account over which; one of each entry.

        An account that acts for anybody gets at the servers of the directory, and with them at the whole domain.
        """
        held = self._people_with(self._holders(domain)) & ~ruling
        told: set[tuple[int, Ace]] = set()
        for use in self._estate.catalogue.descriptor_uses() if held.any() else ():
            if use.kind in ACCOUNTS and is_readable(use.raw):
                account, descriptor = self._estate.principal(use.ids[0]), Descriptor.from_bytes(use.raw)
                for who, entry in self._over(account, descriptor, held, ruling):
                    if (who, entry) not in told:
                        told.add((who, entry))
                        yield who, entry, account

    def _holders(self, domain: Principal) -> set[Sid]:
        """Return who holds it, as the servers of a domain tell; looked up one by one, and no other host is read."""
        estate = self._estate
        group = estate.id_of_sid(estate.domain.holding(domain.dn).account(RID_DIRECTORY_SERVERS))
        servers = (
            estate.graph.expand(group).people.tolist()
            if group is not None and estate.graph.grants_access(group)
            else []
        )
        hosts = (estate.host_named(one.name) for one in estate.catalogue.principals(servers).values())
        return {sid for host in hosts if host is not None and host.state is not None for sid in lets_act(host.state)}

    def _people_with(self, sids: set[Sid]) -> NDArray[np.bool_]:
        """Return the people among some and inside them; in most directories there are none but those who rule it."""
        sids = {sid for sid in sids if sid.rid != RID_OF_ADMINISTRATORS}
        if not sids:
            return np.zeros(self._estate.graph.size, bool)
        everybody = self._everybody()
        if not sids.isdisjoint(EVERYONE_LIKE):
            return everybody.people
        ids = [i for i in self._estate.ids_of_sids(sids).values() if i is not None]
        held = people_in_any(self._estate.graph, ids)
        held[ids] = True
        return held & everybody.people

    def _over(
        self, account: Principal, descriptor: Descriptor, held: NDArray[np.bool_], ruling: NDArray[np.bool_]
    ) -> Iterator[tuple[int, Ace]]:
        everybody = self._everybody()
        asks = self._reader.questions(LETTING_ACT, account.kind)
        writing = everybody.allowed(account, Asked(LETTING_ACT.sentence, asks), descriptor)
        for hold in self._reader.by(LETTING_ACT, asks, descriptor):
            having = everybody.having(hold.who, account) & everybody.people & ~ruling
            able = having & writing & held
            if hold.entry is None or not able.any():
                continue
            group = self._estate.id_of_sid(hold.who)
            whole = group is not None and not (having & ~able).any()
            whom = [group] if whole and group is not None else np.flatnonzero(able).tolist()
            yield from ((who, hold.entry) for who in whom)
