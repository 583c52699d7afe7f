"""What holds now of the hosts, copied into a file of columns beside the store.

Of what hosts said, what differs in their own SIDs alone stands there once, in two parts, each of which is taken apart
when somebody looks at it: their accounts and groups, and everything else, of which there are few kinds. Who of the
directory administers them stands there as numbers.
"""

import json
from collections import defaultdict
from collections.abc import Iterable, Mapping
from functools import cache, partial
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.errors import StoreDamagedError
from adzeguard.core.estate.administrators import Administrators, LooksUpColumns
from adzeguard.core.estate.alike_states import Alike, AlikeStates, StateOfAlike
from adzeguard.core.estate.catalogue import Catalogue
from adzeguard.core.estate.hosts import Host, HostState
from adzeguard.core.estate.links import Links
from adzeguard.core.identity import Sid
from adzeguard.core.wellknown import ADMINISTRATORS, EVERYONE_LIKE
from adzeguard.store.collections import valid_at
from adzeguard.store.connection import Connection
from adzeguard.store.host_rows import HostRow, host_rows, state_of_text
from adzeguard.store.kept_columns import Checked, Columns, KeptFile
from adzeguard.store.kept_copy import KeptCopy
from adzeguard.store.kept_objects import columns_of_names, texts_of
from adzeguard.store.present import changed_between

_TEXTS: Final = ("names", "dns", "sids", "details", "troubles", "sources", "machines", "own", "others", "authorities")
_NUMBERS: Final = {
    "ids": "<i4",
    "of_directory": "u1",
    "forms": "<i4",
    "others_of": "<i4",
    "members.starts": "<u4",
    "members.authorities": "<i4",
    "members.rids": "<u4",
    "members.administering": "u1",
}
"""`forms` says of each host which of `own` is what it said, -1 where it said nothing; `others_of` which of `others`
belongs to that, -1 where it stands there whole and is like no other. `members` are for each form whom of others than
the host itself its groups list, and whether its administrators do."""
_NAMES: Final = frozenset([*_NUMBERS, *(f"{texts}.{part}" for texts in _TEXTS for part in ("starts", "data"))])
_NOT_KEPT: Final = -1
_SHOWN: Final = ("dns_host_name", "operating_system")
_GROUPS: Final = "local-groups"
_EMPTY: Final[Mapping[str, Any]] = {"accounts": [], "groups": []}
_NO_MACHINE: Final = "S-1-5-21-0-0-0"


class KeptHosts(KeptCopy):
    """The kept hosts of one store."""

    names = _NAMES

    def _read(self, connection: Connection) -> Columns:
        return columns_of_hosts(host_rows(connection, valid_at(None)))

    def _brought_on(self, connection: Connection, kept: KeptFile, number: int, stamp: str) -> Checked | None:
        if kept.number == number:
            return kept.columns
        # Where nothing has changed it is written again with the newer number, so that no look asks for that.
        return None if _has_changed(connection, kept) else self._written(number, stamp, kept.columns.all())

    def hosts(self) -> list[Host]:
        """Return all hosts, by name."""
        opened = self.columns()
        columns = opened.all_but("own.data")
        texts = {name: list(texts_of(columns, name)) for name in _TEXTS if name != "own"}
        states = _States(opened, columns["others_of"].tolist(), texts["others"])
        numbers = (columns[name].tolist() for name in ("ids", "of_directory", "forms"))
        shown = (texts[name] for name in ("names", "dns", "sids", "details", "troubles", "sources", "machines"))
        return [
            Host(i, name, dn, states.of(form, machine), trouble, sid, source, details, bool(of_directory))
            for i, of_directory, form, name, dn, sid, details, trouble, source, machine in zip(
                *numbers, *shown, strict=True
            )
        ]

    def administrators(self, catalogue: Catalogue) -> Administrators | None:
        """Return who administers them, as ids of a catalogue."""
        if not isinstance(catalogue, LooksUpColumns):
            return None
        columns = self.columns()
        of_directory, forms = columns.whole("of_directory"), columns.whole("forms")
        there = (of_directory == 0) & (forms != _NOT_KEPT)
        rows = dict(zip(columns.whole("ids")[there].tolist(), forms[there].tolist(), strict=True))
        administering = columns.whole("members.administering") != 0
        of, rids = (columns.whole(f"members.{name}")[administering] for name in ("authorities", "rids"))
        sources, forms_there = _sources(columns)[administering], columns.length("members.starts") - 1
        found = catalogue.ids_at(_authorities(columns), of, rids)
        has_everybody = np.zeros(forms_there, bool)
        has_everybody[sources[_members_among(columns, EVERYONE_LIKE)[administering]]] = True
        known = found >= 0
        return Administrators(rows, Links.of_pairs(sources[known], found[known], forms_there), has_everybody)

    def naming(self, sids: Iterable[str]) -> frozenset[int]:
        """Return the ids of the hosts whose groups list one of some who are none of their own."""
        columns = self.columns()
        naming = np.zeros(columns.length("members.starts"), bool)
        naming[_sources(columns)[_members_among(columns, sids)]] = True
        # The last of them stands for hosts that said nothing.
        return frozenset(columns.whole("ids")[naming[columns.whole("forms")]].tolist())


def _authorities(columns: Checked) -> list[str]:
    named = {name: columns.whole(name) for name in ("authorities.starts", "authorities.data")}
    return list(texts_of(named, "authorities"))


def _sources(columns: Checked) -> NDArray[np.int64]:
    """Return of which form each member is."""
    starts = columns.whole("members.starts").astype(np.int64)
    return np.repeat(np.arange(len(starts) - 1), np.diff(starts))


def _members_among(columns: Checked, sids: Iterable[str]) -> NDArray[np.bool_]:
    """Return which members are among some."""
    of, rids = (columns.whole(f"members.{name}") for name in ("authorities", "rids"))
    among, wanted = np.zeros(len(of), bool), defaultdict[str, list[int]](list)
    for sid in map(Sid, sids):
        wanted[sid.authority].append(sid.rid)
    for place, authority in enumerate(_authorities(columns)):
        if authority in wanted:
            among |= (of == place) & np.isin(rids, wanted[authority])
    return among


class _States:
    """The states of hosts, each form of them once."""

    def __init__(self, columns: Checked, others_of: list[int], others: list[str]) -> None:
        self._columns = columns
        self._others_of = others_of
        self._other_state = cache(lambda place: _readable(others[place]))
        self._alike: dict[int, Alike] = {}

    def of(self, form: int, machine: str) -> HostState | None:
        """Return what a host said; None where it said nothing, or what cannot be read."""
        if form == _NOT_KEPT:
            return None
        if self._others_of[form] == _NOT_KEPT:
            return state_of_text(self._own_text(form))
        if form not in self._alike:
            others = partial(self._other_state, self._others_of[form])
            self._alike[form] = Alike(partial(self._own_state, form), others)
        return StateOfAlike(self._alike[form], Sid(machine))

    def _own_text(self, form: int) -> str:
        begin, end = self._columns.stretch("own.starts", form, form + 2).tolist()
        return self._columns.stretch("own.data", begin, end).tobytes().decode("utf-8", "surrogateescape")

    def _own_state(self, form: int) -> HostState:
        return _readable(self._own_text(form))


def _readable(text: str) -> HostState:
    state = state_of_text(text)
    if state is None:
        raise StoreDamagedError("the kept copy of hosts cannot be read")
    return state


def _has_changed(connection: Connection, kept: KeptFile) -> bool:
    """Tell whether a host, or the object of one, is otherwise since."""
    if changed_between(connection, "host", "id", kept.number):
        return True
    return bool(np.isin(changed_between(connection, "object", "id", kept.number), kept.columns.whole("ids")).any())


def columns_of_hosts(rows: Iterable[HostRow]) -> dict[str, np.ndarray[Any, Any]]:
    """Return the columns of hosts; `StoreDamagedError` where the store holds what cannot stand in them."""
    try:
        return _columns_of(list(rows))
    except (LookupError, OverflowError, ValueError, TypeError, AttributeError) as error:
        raise StoreDamagedError("a host of the store cannot be read") from error


def _columns_of(rows: list[HostRow]) -> dict[str, np.ndarray[Any, Any]]:
    states = AlikeStates(state_of_text)
    forms: dict[int | str, int] = {}
    own: list[str] = []
    others: dict[str, int] = {}
    others_of: list[int] = []
    members: list[dict[Sid, bool]] = []
    form_of: list[int] = []
    machines: list[str] = []
    for row in rows:
        state = states.read(row.state) if row.state else None
        alike = state.alike if state is not None else None
        key = row.state if alike is None else id(alike)
        machines.append(state.machine_sid if state is not None else "")
        if not row.state:
            form_of.append(_NOT_KEPT)
            continue
        if key not in forms:
            forms[key] = len(own)
            members.append(_listed_in(state) if state is not None else {})
            if alike is None:
                own.append(row.state)
                others_of.append(_NOT_KEPT)
            else:
                first, second = _in_two(row.state)
                own.append(first)
                others_of.append(others.setdefault(second, len(others)))
        form_of.append(forms[key])
    authorities = {
        text: place for place, text in enumerate(sorted({sid.authority for some in members for sid in some}))
    }
    flat = [sid for some in members for sid in some]
    texts = {
        "names": [row.name for row in rows],
        "dns": [row.dn for row in rows],
        "sids": [row.sid for row in rows],
        "details": [_shown_of(row.details) for row in rows],
        "troubles": [row.trouble for row in rows],
        "sources": [row.source for row in rows],
        "machines": machines,
        "own": own,
        "others": others,
        "authorities": authorities,
    }
    columns: dict[str, np.ndarray[Any, Any]] = {
        "ids": np.array([row.id for row in rows], "<i4"),
        "of_directory": np.array([row.is_of_directory for row in rows], "u1"),
        "forms": np.array(form_of, "<i4"),
        "others_of": np.array(others_of, "<i4"),
        "members.starts": np.append(0, np.cumsum([len(some) for some in members])).astype("<u4"),
        "members.authorities": np.array([authorities[sid.authority] for sid in flat], "<i4"),
        "members.rids": np.array([sid.rid for sid in flat], "<u4"),
        "members.administering": np.array([one for some in members for one in some.values()], "u1"),
    }
    for name, some in texts.items():
        columns |= columns_of_names(name, some)
    return columns


def _listed_in(state: HostState) -> dict[Sid, bool]:
    """Return whom the groups of a host list, but for its own, and whether its administrators do."""
    found: dict[Sid, bool] = {}
    for group in state.groups:
        for sid in group.members:
            if sid.authority != state.machine_sid:
                found[sid] = found.get(sid, False) or group.sid == ADMINISTRATORS
    return found


def _in_two(text: str) -> tuple[str, str]:
    """Return a state in two texts: its accounts, its groups and whom no list has; and everything else."""
    whole = json.loads(text)
    parts = whole["parts"]
    own = {"machine_sid": whole["machine_sid"], "parts": {_GROUPS: parts[_GROUPS]} if _GROUPS in parts else {}}
    own |= {"unlisted": whole["unlisted"]} if "unlisted" in whole else {}
    others = {key: value for key, value in whole.items() if key != "unlisted"}
    others |= {"machine_sid": _NO_MACHINE, "parts": parts | ({_GROUPS: _EMPTY} if _GROUPS in parts else {})}
    return json.dumps(own, separators=(",", ":")), json.dumps(others, separators=(",", ":"), sort_keys=True)


def _shown_of(details: str) -> str:
    """Return of the details of a computer what a host tells of them."""
    if not any(f'"{key}"' in details for key in _SHOWN):
        return ""
    try:
        told = json.loads(details)
        return json.dumps({key: told[key] for key in _SHOWN if key in told})
    except (ValueError, TypeError, AttributeError):
        return details  # what cannot be read is told of where it is looked at
