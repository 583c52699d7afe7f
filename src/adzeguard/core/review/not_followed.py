"""Rules that cannot be followed: each mistake once, however many hosts or members it stands at."""

from collections.abc import Iterable
from dataclasses import replace
from typing import Final

from adzeguard.core.estate.named import Named
from adzeguard.core.review.correction import Correction
from adzeguard.core.wording import some_of

_STOPPED: Final = frozenset({"local-name-unknown"})
"""Checks of a rule that is followed on other hosts and not on these."""


def not_followed(found: Iterable[Correction]) -> list[Correction]:
    """Return one deviation for each rule and check that stop it, about the rule itself, for whoever answers for it.

    Without it a rule stops mending without a word: a name in it was mistyped, or its group renamed, or another rule
    contradicts it.
    """
    stopped: dict[tuple[str, str], list[Correction]] = {}
    for one in found:
        if one.stops_rule or one.check in _STOPPED:
            stopped.setdefault((one.rule, one.check), []).append(one)
    return [_of_rule(those) for those in stopped.values()]


def _of_rule(those: list[Correction]) -> Correction:
    first = those[0]
    hosts = list(dict.fromkeys(one.host.name for one in those if one.host is not None))
    reasons = list(dict.fromkeys((one.left_out or one.message).removeprefix(f"{one.place}: ") for one in those))
    more = f", and {len(reasons) - 1} more reasons" if len(reasons) > 1 else ""
    where = f" on {some_of(hosts)}" if hosts else ""
    message = f"rule {first.rule} is not followed{where}: {reasons[0]}{more}"
    about = Named(first.rule)
    plain = replace(first, subject=about, message=message, response="tell", host=None, member=None, stops_rule=False)
    return replace(plain, changes=(), left_out=f"the rule itself is to be mended, at {first.place}")
