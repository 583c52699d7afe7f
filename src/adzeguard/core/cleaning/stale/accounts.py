"""Accounts of people and computers that nobody uses, or that should have gone."""

from collections.abc import Iterator
from datetime import timedelta

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.cleaning.stale.found import Stale, StaleInput
from adzeguard.core.cleaning.thresholds import LAG
from adzeguard.core.estate.links import Ids
from adzeguard.core.estate.moments import moment
from adzeguard.core.estate.principal import Kind, Principal

_CREATED, _USED, _PASSWORD, _EXPIRES = range(4)


def stale_accounts(looked: StaleInput) -> Iterator[Stale]:
    """Yield accounts of people, by name, once for each thing that is stale about them."""
    now = looked.now.timestamp()
    for one in _suspects(looked, Kind.USER):
        yield from _unused(looked, one, now)
        yield from _of_person(looked, one, now)


def stale_computers(looked: StaleInput) -> Iterator[Stale]:
    """Yield accounts of computers in the same way; their passwords renew themselves, so an old one says it is gone."""
    now = looked.now.timestamp()
    for one in _suspects(looked, Kind.COMPUTER):
        yield from _unused(looked, one, now)
        if not one.enabled:
            yield Stale.of(one, "disabled", "its account is disabled", moment(one.details.get("last_logon")))


def _suspects(looked: StaleInput, kind: Kind) -> list[Principal]:
    """Return those that something may be stale about: of a million accounts only these are looked at one by one."""
    ids, times = looked.estate.catalogue.times_of(kind)
    now, limits = int(looked.now.timestamp()), looked.thresholds
    used, made = times[:, _USED], times[:, _CREATED]
    unused = (used > 0) & (used < now - _seconds(limits.unused + LAG))
    never = (used <= 0) & (made < now - _seconds(limits.never_used))
    suspect = unused | never | ((times[:, _EXPIRES] > 0) & (times[:, _EXPIRES] < now))
    if kind == Kind.USER:
        suspect |= (times[:, _PASSWORD] > 0) & (times[:, _PASSWORD] < now - _seconds(limits.password))
        suspect |= _among(ids, looked.inside_privileged)
    else:
        suspect |= ~looked.is_enabled[ids]
    found = looked.objects(ids[suspect].tolist())
    return sorted(found, key=lambda one: one.qualified_name.casefold())


def _among(ids: Ids, some: frozenset[int]) -> NDArray[np.bool_]:
    return np.isin(ids, np.fromiter(some, np.int64, len(some)))


def _seconds(time: timedelta) -> int:
    return int(time.total_seconds())


def _is_older(seconds: object, than: timedelta, now: float) -> bool:
    """Tell whether a time lies back so far; of tens of thousands few do, so that moments are made of those alone."""
    return isinstance(seconds, int) and seconds > 0 and now - seconds > than.total_seconds()


def _unused(looked: StaleInput, one: Principal, now: float) -> Iterator[Stale]:
    """Yield that nobody has used it: the replicated stamp may lie behind the last logon, which is allowed for."""
    last, long_ago = one.details.get("last_logon"), looked.thresholds.unused + LAG
    if last and not _is_older(last, long_ago, now):
        return
    used, made = moment(last), moment(one.details.get("created"))
    if used is not None:
        days = (looked.now - used - LAG).days
        why = f"not used for at least {days} days: the stamp, up to {LAG.days} days late, is of {used.date()}"
        yield Stale.of(one, "unused", why, used)
    elif made is None or looked.now - made > looked.thresholds.never_used:
        since = f", made on {made.date()}" if made else ""
        yield Stale.of(one, "never-used", f"never used{since}", made)


def _of_person(looked: StaleInput, one: Principal, now: float) -> Iterator[Stale]:
    if one.id in looked.inside_privileged and not one.enabled:
        groups = [group for group in looked.privileged if one.id in looked.estate.graph.expand(group.id).members]
        named = ", ".join(group.qualified_name for group in groups)
        yield Stale.of(one, "disabled-privileged", f"disabled, and still inside {named}")
    set_at, expires = one.details.get("password_set"), one.details.get("expires")
    password = moment(set_at) if _is_older(set_at, looked.thresholds.password, now) else None
    if password is not None:
        yield Stale.of(one, "old-password", f"its password is {(looked.now - password).days} days old", password)
    expired = moment(expires) if _is_older(expires, timedelta(), now) else None
    if expired is not None:
        yield Stale.of(one, "expired", f"expired on {expired.date()}", expired)
