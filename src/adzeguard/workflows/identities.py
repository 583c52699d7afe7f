"""Names and SIDs in logs, as what they are known by today: an object may have had another name, or be gone."""

from collections.abc import Iterable
from dataclasses import field

from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Principal
from adzeguard.core.identity import Sid, fold_dn
from adzeguard.core.values import dataclass
from adzeguard.store.estate_store import EstateStore


@dataclass
class Identities:
    """Looks up what a log names, each name once."""

    estate: Estate
    store: EstateStore
    _by_name: dict[str, str] = field(default_factory=dict)
    _shown: dict[str, str] = field(default_factory=dict)

    def learn(self, told: Iterable[tuple[str, str]]) -> None:
        """Look up many at once of what a log names, by its name and its SID."""
        new = {fold_dn(name): name for name, sid in told if not sid and "=" in name and name not in self._by_name}
        sids = self.store.sids_of(new.values())
        for folded, name in new.items():
            self._by_name[name] = sids.get(folded) or folded
            if folded not in sids:
                self._shown[folded] = ""  # nothing has that DN now, so nobody need look for it to show it

    def key(self, name: str, sid: str) -> str:
        """Return what something is compared by: its SID, else the SID of what has or had that DN, else the name."""
        if sid:
            return sid
        if name not in self._by_name:
            self._by_name[name] = self._sid_of(name) or (fold_dn(name) if "=" in name else name.casefold())
        return self._by_name[name]

    def names_of(self, principal: Principal) -> set[str]:
        """Return everything that an object is or was told by: its SID and each DN that it has had."""
        return {str(principal.sid or ""), *self.store.names_had(principal.id), principal.dn} - {""}

    def shown(self, key: str, told: str = "") -> str:
        """Return the name for people; for what is gone what was told of it, else the SID."""
        if key not in self._shown:
            known = self.estate.id_of_sid(key) if key.startswith("S-1-") else self.estate.catalogue.by_dn(key)
            self._shown[key] = self.estate.principal(known).qualified_name if known is not None else ""
        return self._shown[key] or told or key

    def look_up(self, sids: Iterable[str]) -> None:
        """Look up many at once."""
        ids = self.estate.ids_of_sids({Sid(sid) for sid in sids if sid})
        found = self.estate.catalogue.principals(i for i in ids.values() if i is not None)
        self._shown |= {str(p.sid): p.qualified_name for p in found.values() if p.sid}

    def _sid_of(self, name: str) -> str:
        if "=" in name:
            return self.store.sids_of([name]).get(fold_dn(name), "")
        found = self.estate.catalogue.by_name(name.rpartition("\\")[2])
        principals = self.estate.catalogue.principals(found).values()
        sids = [str(p.sid) for p in principals if p.sid and p.qualified_name.casefold() == name.casefold()]
        return sids[0] if len(sids) == 1 else ""
