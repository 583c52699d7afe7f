"""What a host says of its logons, its notice and its elevated programs, with names."""

from typing import Any

from adzeguard.core.estate.capabilities import CAPABILITIES
from adzeguard.core.estate.elevation import arguments_in_words, elevations_of
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.logon import logon_of
from adzeguard.core.estate.names import on_host
from adzeguard.core.estate.notice import notice_of
from adzeguard.core.views.page import Fact, Section


def settings_data(estate: Estate, host: Host) -> dict[str, Any]:
    """Return the settings of a host as plain values; what it cannot have is missing."""
    state = host.state
    if state is None:
        return {}
    logon, notice, elevations = logon_of(state), notice_of(state), elevations_of(state)
    sids = (
        {sid for lists in (logon.refused, logon.alone) for each in lists.values() for sid in each} if logon else set()
    )
    sids |= {one.who for one in elevations.granted} | {one.who for one in elevations.used} if elevations else set()
    names = {sid: principal.qualified_name for sid, principal in on_host(estate, state, host.name, sids).items()}
    data: dict[str, Any] = {}
    if logon is not None:
        data["logon"] = {
            "ways": list(logon.ways),
            "refused": {way: sorted(names[s] for s in logon.refused[way]) for way in logon.ways if logon.refused[way]},
            "alone": {way: sorted(names[s] for s in logon.alone[way]) for way in logon.ways if way in logon.alone},
        }
    if notice is not None:
        data["notice"] = {"title": notice.title, "text": notice.text} if notice else {}
    if elevations is not None:
        data["elevations"] = [
            {
                "program": one.program,
                "sha256": one.sha256,
                "sha256_now": elevations.digests.get(one.program, ""),
                "who": names[one.who],
                "arguments": one.arguments,
                "until": one.until,
            }
            for one in sorted(elevations.granted)
        ]
        data["ran_elevated"] = [
            {"who": names[one.who], "program": one.program, "day": one.day} for one in sorted(elevations.used)
        ]
    facts = [one.name for one in CAPABILITIES if one.holds_facts and one.name in state.parts]
    return data | ({"facts": {name: dict(state.parts[name]) for name in facts}} if facts else {})


def settings_sections(data: dict[str, Any]) -> list[Section]:
    """Return the same for people, as far as there is anything to say."""
    logon = data.get("logon", {})
    lines = [f"refused by {way}: {', '.join(names)}" for way, names in logon.get("refused", {}).items()]
    lines += [f"only by {way}: {', '.join(names)}" for way, names in logon.get("alone", {}).items()]
    notice = data.get("notice") or {}
    shown = [notice["title"], *notice["text"].splitlines()] if notice else []
    elevated = [_elevated(one) for one in data.get("elevations", ())]
    ran = [
        f"{one['who']}: {one['program']}" + (f", last on {one['day']}" if one["day"] else "")
        for one in data.get("ran_elevated", ())
    ]
    more = [
        (name.replace("-", " ").capitalize(), [f"{fact}: {text}" if fact else text for fact, text in texts.items()])
        for name, texts in data.get("facts", {}).items()
    ]
    facts = (("Logon", lines), ("Notice", shown), ("Elevated", elevated), ("Ran elevated", ran), *more)
    return [Fact(label, listed) for label, listed in facts if listed]


def _elevated(one: dict[str, str]) -> str:
    said = f"{one['who']} runs {one['program']} {arguments_in_words(one['arguments'])}"
    said += f" until {one['until']}" if one["until"] else ""
    if one["sha256"] == one["sha256_now"]:
        return f"{said}, at {one['sha256'][:12]}…"
    return (
        f"{said}, at {one['sha256'][:12]}…; it is {one['sha256_now'][:12] + '…' if one['sha256_now'] else 'gone'} now"
    )
