"""What a host can have: one row for each capability, with its part of the host's state, its form, and its words."""

from collections.abc import Mapping
from typing import Any, Final

from adzeguard.core.estate.capability import Capability
from adzeguard.core.estate.delegation_right import DELEGATION_RIGHT
from adzeguard.core.estate.elevation import ELEVATION
from adzeguard.core.estate.hosts import HostState, LocalAccount, LocalGroup
from adzeguard.core.estate.logon import LOGON_REFUSAL
from adzeguard.core.estate.notice import NOTICE
from adzeguard.core.identity import Sid


def _pack_local_groups(state: HostState) -> dict[str, Any]:
    accounts = sorted((a.name, a.sid, a.enabled) for a in state.accounts)
    groups = sorted((g.name, g.sid, sorted(g.members)) for g in state.groups)
    return {
        "accounts": [{"name": name, "sid": sid, "enabled": enabled} for name, sid, enabled in accounts],
        "groups": [{"name": name, "sid": sid, "members": members} for name, sid, members in groups],
    }


def _unpack_local_groups(part: Any) -> Mapping[str, Any]:
    return {
        "accounts": tuple(LocalAccount(a["name"], Sid(a["sid"]), a["enabled"]) for a in part["accounts"]),
        "groups": tuple(
            LocalGroup(g["name"], Sid(g["sid"]), frozenset(map(Sid, g["members"]))) for g in part["groups"]
        ),
    }


LOCAL_GROUPS: Final = Capability(
    "local-groups", "local groups and who is in them", _pack_local_groups, _unpack_local_groups
)


def kept_as_it_is(name: str, words: str) -> Capability:
    """Return a capability whose part is plain values that only its own changes and checks understand."""
    return Capability(name, words, lambda state: state.parts.get(name), lambda part: {"parts": {name: part}})


def of_facts(name: str, words: str) -> Capability:
    """Return a capability whose part is texts by names."""
    return Capability(
        name,
        words,
        lambda state: dict(sorted(state.parts.get(name, {}).items())),
        lambda part: {"parts": {name: {str(fact): str(text) for fact, text in part.items()}}},
        holds_facts=True,
    )


OWN_ACCOUNTS: Final = kept_as_it_is(
    "own-accounts", "its own accounts let and shut out, its own groups made and deleted"
)
CAPABILITIES: Final[tuple[Capability, ...]] = (
    LOCAL_GROUPS,
    OWN_ACCOUNTS,
    LOGON_REFUSAL,
    NOTICE,
    ELEVATION,
    DELEGATION_RIGHT,
)


def pack_state(state: HostState, capabilities: tuple[Capability, ...] = CAPABILITIES) -> dict[str, Any]:
    """Return a state as plain values with names."""
    held = [c for c in capabilities if c.name in state.capabilities]
    packed: dict[str, Any] = {
        "machine_sid": state.machine_sid,
        "parts": {c.name: c.pack(state) for c in sorted(held, key=lambda c: c.name)},
    }
    packed |= {"lacks": dict(sorted(state.lacks.items()))} if state.lacks else {}
    return packed | ({"unlisted": dict(sorted(state.unlisted.items()))} if state.unlisted else {})


def unpack_state(values: Any, capabilities: tuple[Capability, ...] = CAPABILITIES) -> HostState:
    """Return the state that plain values hold; what no row knows was written by another version and is left away."""
    known = {c.name: c for c in capabilities}
    given: dict[str, Any] = {}
    parts: dict[str, Any] = {}
    for name, part in values["parts"].items():
        if name in known:
            fields = dict(known[name].unpack(part))
            parts |= fields.pop("parts", {})
            given |= fields
    return HostState(
        Sid(values["machine_sid"]),
        capabilities=frozenset(values["parts"]) & known.keys(),
        parts=parts,
        lacks={str(name): str(why) for name, why in values.get("lacks", {}).items()},
        unlisted={Sid(sid): str(by) for sid, by in values.get("unlisted", {}).items()},
        **given,
    )
