r"""JSON lines of our own form, for logs without a reader here: one event a line.

    {"time": "2026-11-22T02:40:00+00:00", "verb": "added", "by": "LOWMERE\\desk.ada", "by_sid": "S-1-5-21-…",
     "group": "CN=…", "group_sid": "S-1-5-21-…", "member": "CN=…", "member_sid": "S-1-5-21-…", "from": "192.0.2.7"}

`time` (ISO 8601 with offset) and `verb` are needed, and of what was done to its name or its SID. Of a logon `group` is
the host at which, as it has proved itself, `claimed` what the client calls itself, and `way` how it was: `LOGON_WAYS`.
"""

import json
from collections.abc import Sequence
from typing import Final

from adzeguard.core.trail.event import MEMBERSHIP, VERBS, Event
from adzeguard.trail.port import NotReadError
from adzeguard.trail.values import sid_of, text_of, time_of

_KEYS: Final = frozenset(
    {"time", "verb", "by", "by_sid", "group", "group_sid", "member", "member_sid", "from", "claimed", "way"}
)


def read_own_line(line: str) -> Sequence[Event] | None:
    """Return the event of a line; None for one that is no such JSON."""
    if not line.startswith("{") or '"verb"' not in line:
        return None
    try:
        told = json.loads(line)
    except (ValueError, RecursionError) as error:
        raise NotReadError("it is no whole JSON") from error
    if not isinstance(told, dict) or "verb" not in told:
        return None
    unknown = sorted(told.keys() - _KEYS)
    if unknown:
        raise NotReadError(f"there is no key '{unknown[0][:40]}'")
    if told["verb"] not in VERBS:
        raise NotReadError(f"there is no verb '{str(told['verb'])[:40]}', only {', '.join(VERBS)}")
    event = Event(
        time_of(told.get("time")),
        told["verb"],
        text_of(told.get("by")),
        sid_of(told.get("by_sid")),
        text_of(told.get("group")),
        sid_of(told.get("group_sid")),
        text_of(told.get("member")),
        sid_of(told.get("member_sid")),
        text_of(told.get("from")),
        claimed=text_of(told.get("claimed")),
        way=text_of(told.get("way")),
    )
    if event.verb in MEMBERSHIP and not ((event.group or event.group_sid) and (event.member or event.member_sid)):
        raise NotReadError("a membership names neither its group nor its member")
    return (event,)
