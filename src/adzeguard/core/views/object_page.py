"""One object in full."""

from collections.abc import Iterable, Mapping
from datetime import UTC, datetime
from types import MappingProxyType
from typing import Any, Final

from adzeguard.core.access.members import members_of
from adzeguard.core.errors import InputError
from adzeguard.core.estate.account_control import CONTROLS
from adzeguard.core.estate.attributes import SHOWN_ATTRIBUTES
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.late_details import TIMES
from adzeguard.core.estate.logon_hours import Hours, hours_of, in_words
from adzeguard.core.estate.logon_limits import hosts_listed, hours_value
from adzeguard.core.estate.lookalike import marked
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.views.page import Fact, Page, Section
from adzeguard.core.wording import when

_SHOWN: Final = 12
_NOT_SHOWN: Final = ("name", "qualified_name", "logon_hours")
"""The names are the title, and the hours are drawn as a week."""
_TOLD_APART: Final = ("trust", "foreign_kind", "foreign_state", "named", "sid_history", "password_policy", "signing_in")
"""What is told in other words, or by a command of its own."""
_LABELS: Final[Mapping[str, str]] = {
    "sid": "SID",
    "dn": "DN",
    **{attribute.key: attribute.words for attribute in SHOWN_ATTRIBUTES},
}


def object_data(estate: Estate, p: Principal) -> dict[str, Any]:
    """Return one object with its memberships both ways, as plain values."""
    data = _facts(p)
    graph = estate.graph
    if p.id < 0:
        return data
    listed, primary = graph.groups_listing(p.id).tolist(), graph.primary_groups(p.id).tolist()
    effective = graph.effective_groups(p.id).tolist()
    names = estate.catalogue.principals([*listed, *primary, *effective])

    def named(ids: Iterable[int]) -> list[str]:
        return sorted((names[i].qualified_name for i in ids if i in names), key=str.casefold)

    data["member_of"] = named(listed)
    data["primary_group"] = next(iter(named(primary)), None)
    data["effectively_member_of"] = named(i for i in effective if i not in {*listed, *primary})
    if p.kind == Kind.GROUP:
        accesses = members_of(estate, p)
        data["members"] = [a.principal.qualified_name for a in accesses if a.direct]
        data["effective_members"] = [a.principal.qualified_name for a in accesses if not a.direct]
    return data


def _facts(p: Principal) -> dict[str, Any]:
    written = marked(p.name)
    facts: dict[str, Any] = {
        "name": p.name,
        "qualified_name": p.qualified_name,
        **({"written": written} if written != p.name else {}),
        "kind": p.label,
        "sid": p.sid,
        "dn": p.dn,
        "enabled": p.enabled,
    }
    if p.kind == Kind.GROUP:
        facts["group_scope"] = p.group_scope
    times = {f"{key}_at": _moment(p.details[key]) for key in TIMES if key in p.details}
    facts |= times | {key: value for key, value in p.details.items() if key not in (*TIMES, *_TOLD_APART)}
    facts |= {key: value for key, value in (p.details.get("signing_in") or {}).items() if key != "encryption"}
    if "named" in p.details:
        facts["named_at"] = _moment(p.details["named"])
    if "workstations" in facts:
        facts["workstations"] = list(hosts_listed(p))
    hours = hours_value(p)
    if hours:
        facts["logon_hours"] = in_words(_hours(hours))
    controls = [control.name for control in CONTROLS if p.flags & control.flag]
    return facts | ({"signs_in": controls} if controls else {})


def _hours(value: bytes) -> Hours:
    try:
        return hours_of(value)
    except InputError:  # a directory can hold any bytes there
        return frozenset()


def _moment(seconds: int) -> datetime | None:
    try:
        return datetime.fromtimestamp(seconds, UTC)
    except (ValueError, OverflowError, OSError):  # a directory can hold any 64-bit number as a time
        return None


def object_page(
    data: Mapping[str, Any], more: Iterable[Section] = (), more_data: Mapping[str, Any] = MappingProxyType({})
) -> Page:
    """Return the page of an object from its data; what is empty is left out.

    `more` are further sections, which show `more_data`.
    """
    sections = [_section(key, value) for key, value in data.items() if key not in _NOT_SHOWN]
    title = str(data.get("qualified_name") or data["name"])
    return Page({**data, **more_data}, [*(section for section in sections if section is not None), *more], title)


def _section(key: str, value: Any) -> Section | None:
    if value in (None, "", []) or (isinstance(value, list) and isinstance(value[0], dict)):
        return None
    label = (
        _LABELS.get(key)
        or _LABELS.get(key.removesuffix("_at"))
        or key.removesuffix("_at").replace("_", " ").capitalize()
    )
    if isinstance(value, list):
        more = [f"… and {len(value) - _SHOWN} more (--format json shows all)"] if len(value) > _SHOWN else []
        return Fact(f"{label} ({len(value)})", [*map(str, value[:_SHOWN]), *more])
    if isinstance(value, datetime):
        return Fact(label, when(value))
    return Fact(label, ("yes" if value else "no") if isinstance(value, bool) else str(value))
