"""Hosts on the ways to a group: whoever administers a host has what those left there who logged on at it.

Somebody who logs on at the console, by a remote desktop, for a job or for a service leaves a password or a ticket on
the host. Over the network alone nothing is left, nor by a public key or by a ticket that is not handed on (seen with
sshd and winbind). A ticket lives for hours, and is renewed for a week (RFC 4120 section 2.3), also when its session is
over (seen with winbind); the password of a job or a service is kept for as long as that is.
"""

from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from datetime import datetime, timedelta
from enum import IntEnum
from typing import Final

from adzeguard.core.access.logon import identities_of_all, may_log_on, shape_of, token_at
from adzeguard.core.estate.administrators import Administrators
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host, HostState
from adzeguard.core.estate.logon import IN_PERSON, WAYS, LogonRules, logon_of
from adzeguard.core.estate.logon_limits import hosts_listed
from adzeguard.core.estate.seen_on import SESSION, TICKET
from adzeguard.core.identity import Sid
from adzeguard.core.values import dataclass
from adzeguard.core.wording import when_utc

_WORDS: Final[Mapping[str, str]] = {
    "console": "at its console on {}",
    "remote": "remotely on {}",
    "batch": "for a job on {}",
    "service": "for a service on {}",
    SESSION: "in a session that was open on {}",
    TICKET: "with a ticket of {} that lies there",
}
LEAVING: Final = frozenset(_WORDS)
"""The kinds of logons that leave something on the host, and what a host itself shows of them."""
_STORED: Final = frozenset({"batch", "service"})
_TICKET: Final = timedelta(hours=10)
_RENEWED: Final = timedelta(days=7)


class Proof(IntEnum):
    """How well it is proved that something lies on a host now, the best first."""

    LIVE = 0
    """A ticket that lives, or a password that is stored there."""
    RENEWABLE = 1
    """A ticket that may have been renewed."""
    OLD = 2
    """It was there."""

    @property
    def label(self) -> str:
        """The proof in words."""
        return ("still there", "may still be there", "was there")[self]


@dataclass(frozen=True, slots=True)
class LeftOn:
    """The last logon of somebody at a host, of a kind that leaves something there."""

    sid: str
    host: str
    at: datetime
    way: str

    def proof(self, now: datetime) -> Proof:
        """Return how well it is proved that it is there now."""
        age = now - self.at
        if self.way in _STORED or age <= _TICKET:
            return Proof.LIVE
        return Proof.RENEWABLE if age <= _RENEWED else Proof.OLD

    def in_words(self, *, refused: bool = False) -> str:
        """Return how and when, such as "at its console on 2026-11-28 07:12 UTC", and whether it is refused since."""
        return f"{_WORDS[self.way].format(when_utc(self.at))}{' (refused by now)' if refused else ''}"


class OverHosts:
    """Who administers each host of an estate, and who left something on it."""

    def __init__(
        self, estate: Estate, left: Callable[[Collection[Sid]], Mapping[str, Iterable[LeftOn]]], now: datetime
    ) -> None:
        """`left` gives by their SIDs what some left on hosts: it is asked of those alone who are on a way."""
        self._estate = estate
        self._now = now
        self._left = left
        self._known: dict[Sid, Sequence[LeftOn]] = {}
        self._identities: dict[Sid, frozenset[Sid]] = {}
        self._lists: dict[Sid, frozenset[str]] = {}

    @property
    def now(self) -> datetime:
        """The moment for which proofs are told."""
        return self._now

    def look_ahead(self, sids: Iterable[Sid]) -> None:
        """Look up many in one go."""
        unknown = [sid for sid in sids if sid not in self._known]
        if not unknown:
            return
        found = self._left(unknown)
        self._known |= {sid: tuple(found.get(sid, ())) for sid in unknown}

    def left_by(self, sid: Sid) -> Sequence[tuple[Host, LeftOn, bool]]:
        """Return on which hosts somebody left something, the best proved first, and whether a host refuses them by now.

        Where they are refused, what is left there ends with its ticket, and nothing comes after it.
        """
        self.look_ahead([sid])
        found = [
            (host, one) for one in self._known[sid] if (host := self._estate.hosts_by_name.get(one.host.casefold()))
        ]
        told = [(host, one, self._refuses(host, sid, one.way)) for host, one in found]
        still = [one for one in told if not (one[2] and one[1].proof(self._now) == Proof.OLD)]
        return sorted(still, key=lambda one: (one[1].proof(self._now), self._now - one[1].at))

    def letting_any(self, hosts: Iterable[Host], sids: Sequence[Sid]) -> Iterator[Host]:
        """Yield the hosts that let any of these log on at the console or remotely.

        Hosts of one shape share the answer: where all are refused, each of thousands would be asked about on each host.
        """
        known: dict[tuple[object, ...], bool] = {}
        self._learn_lists(sids)
        limited = {sid for sid in sids if self._lists[sid]}
        free = [sid for sid in sids if sid not in limited]
        for host in hosts if sids else ():
            if host.state is None:
                continue
            rules = logon_of(host.state)
            shape = shape_of(rules, host.state)
            if shape not in known:
                known[shape] = bool(free) and (rules is None or self._lets_any(host.state, rules, free))
            listing = [sid for sid in limited if host.name.casefold() in self._lists[sid]]
            if known[shape] or (listing and (rules is None or self._lets_any(host.state, rules, listing))):
                yield host

    def _lets_any(self, state: HostState, rules: LogonRules, sids: Sequence[Sid]) -> bool:
        if not (rules.refused or rules.alone):
            return True
        self._learn(sids)
        tokens = (token_at(state, self._identities[sid]) for sid in sids)
        return any(may_log_on(rules, token, way).allowed for token in tokens for way in IN_PERSON)

    def _refuses(self, host: Host, sid: Sid, way: str) -> bool:
        if sid not in self._lists:
            self._learn_lists(one for one, left in self._known.items() if left)
        if self._lists[sid] and host.name.casefold() not in self._lists[sid]:
            return True  # the directory itself limits the account to other hosts
        rules = logon_of(host.state) if host.state is not None else None
        if host.state is None or rules is None:
            return False
        ways = (way,) if way in WAYS else IN_PERSON
        return not any(may_log_on(rules, token_at(host.state, self._identities_of(sid)), one).allowed for one in ways)

    def _identities_of(self, sid: Sid) -> frozenset[Sid]:
        if sid not in self._identities:
            self._learn(one for one, left in self._known.items() if left)
        return self._identities[sid]

    def _learn_lists(self, sids: Iterable[Sid]) -> None:
        """Look up to which hosts alone the directory lets some log on; nothing where it lets them anywhere."""
        fresh = [sid for sid in sids if sid not in self._lists]
        known = self._estate.ids_of_sids(fresh)
        ids = {sid: known[sid] for sid in fresh}
        shown = self._estate.catalogue.principals([i for i in ids.values() if i is not None])
        for sid, i in ids.items():
            one = shown.get(i) if i is not None else None
            self._lists[sid] = frozenset(map(str.casefold, hosts_listed(one))) if one is not None else frozenset()

    def _learn(self, sids: Iterable[Sid]) -> None:
        fresh = [sid for sid in sids if sid not in self._identities]
        self._identities |= identities_of_all(self._estate, fresh)

    @property
    def administrators(self) -> Administrators:
        """Who administers the hosts directly; a directory server has nobody: that is told by rights."""
        return self._estate.administrators
