"""What to do next in a workspace: the most pressing steps first, each a command to paste."""

from collections.abc import Callable, Mapping
from datetime import datetime, timedelta
from typing import Any, Final, NamedTuple

from adzeguard.core.wording import age_in_words, counted_noun, some_of

_SHOWN: Final = 5
_OLD: Final = timedelta(days=1)
"""After so long a collection is old, and a round is late."""
_NOT_FOLLOWED: Final = ("unresolved-name", "rule-conflict", "local-name-unknown", "unclear-grant")
"""The checks that find a rule which cannot be followed."""


class Step(NamedTuple):
    """A command, and the reason to run it now."""

    command: str
    reason: str


Overview = Mapping[str, Any]
"""What `adzeguard status --format json` holds."""


def next_steps(data: Overview, now: datetime) -> list[Step]:
    """Return at most five steps, the most pressing first."""
    steps: dict[str, Step] = {}
    for command, why in _STEPS:
        # One command can do two things, such as a round; its first reason is the more pressing one.
        if command not in steps and (reason := why(data, now)):
            steps[command] = Step(command, reason)
    return list(steps.values())[:_SHOWN]


def _tampered(data: Overview, _now: datetime) -> str:
    rows = data["odd_rows"]
    return f"{counted_noun(rows, 'row')} of the store differ{'s' * (rows == 1)} from the journal" if rows else ""


def _interrupted(data: Overview, _now: datetime) -> str:
    return f"{data['interrupted']}, and nothing else is enacted until it ends" if data["interrupted"] else ""


def _keeperless(data: Overview, _now: datetime) -> str:
    hosts = data["findings_by_check"].get("keeper-missing", 0)
    return f"{counted_noun(hosts, 'host')} {'has' if hosts == 1 else 'have'} no keeper who can get in" if hosts else ""


def _not_followed(data: Overview, _now: datetime) -> str:
    if data["not_followed"]:
        return f"not followed: {some_of(data['not_followed'])}"
    mistakes = sum(data["findings_by_check"].get(check, 0) for check in _NOT_FOLLOWED)
    return f"{counted_noun(mistakes, 'finding')} about rules that cannot be followed" if mistakes else ""


def _mendable(data: Overview, _now: datetime) -> str:
    count = data["mendable"]
    return f"{counted_noun(count, 'finding')} can be put right" if count else ""


def _pending(data: Overview, now: datetime) -> str:
    if not data["hosts_pending"]:
        return ""
    age = age_in_words(now - data["pending_since_at"])
    return f"changes wait for {counted_noun(data['hosts_pending'], 'host')}, the oldest for {age}"


def _overdue(data: Overview, _now: datetime) -> str:
    return f"{counted_noun(data['leases_over'], 'lease')} should have ended" if data["leases_over"] else ""


def _untold(data: Overview, _now: datetime) -> str:
    return f"{counted_noun(data['letters_kept'], 'notification')} could not be sent" if data["letters_kept"] else ""


def _late_round(data: Overview, now: datetime) -> str:
    last = data["round_at"]
    return f"the last round was {age_in_words(now - last)} ago" if last is not None and now - last > _OLD else ""


def _questions(data: Overview, now: datetime) -> str:
    if not data["questions_asked_at"]:
        return ""
    count, age = len(data["questions_asked_at"]), age_in_words(now - min(data["questions_asked_at"]))
    return f"{counted_noun(count, 'question')} wait{'s' * (count == 1)} for an answer, the oldest for {age}"


def _old(data: Overview, now: datetime) -> str:
    age = now - data["collected_at"]
    return f"the last collection is {age_in_words(age)} old" if age > _OLD else ""


def _unchecked(data: Overview, _now: datetime) -> str:
    if data["checked_at"] is None:
        return "nothing has been checked yet"
    return "something was collected since the last check" if data["check_is_outdated"] else ""


def _serious(data: Overview, _now: datetime) -> str:
    count = data["findings_by_severity"].get("critical", 0) + data["findings_by_severity"].get("high", 0)
    return f"{counted_noun(count, 'finding')} of high or critical severity" if count else ""


_STEPS: Final[tuple[tuple[str, Callable[[Overview, datetime], str]], ...]] = (
    ("adzeguard journal verify", _tampered),
    ("adzeguard enact --resume", _interrupted),
    ("adzeguard check --severity critical", _keeperless),
    ("adzeguard round", _overdue),
    ("adzeguard charter lint", _not_followed),
    ("adzeguard check", _unchecked),
    ("adzeguard propose", _mendable),
    ("adzeguard check --severity high", _serious),
    ("adzeguard enact --pending", _pending),
    ("adzeguard questions", _questions),
    ("adzeguard round", _untold),
    ("adzeguard round", _late_round),
    ("adzeguard collect", _old),
)
"""In the order in which they press; a further step is a function above and a row here."""
