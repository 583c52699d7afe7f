"""A shift: a lease that recurs by calendar, RFC 5545 section 3.3.10, in the time zone of those who work it."""

from collections.abc import Collection, Iterator
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from adzeguard.core.errors import InputError
from adzeguard.core.time.recurrence import starts
from adzeguard.core.values import dataclass

_A_DAY = timedelta(days=1)


@dataclass(frozen=True, slots=True)
class Shift:
    """Who is in which group by which rule: from `begins` to `ends` by the clock of the zone, over midnight if need be.

    `first` is the day from which the rule counts. On `days_off` it does not begin. `ended` is when it was ended.
    """

    id: str
    member: str
    member_sid: str
    group: str
    group_sid: str
    host: str
    rule: str
    first: date
    begins: time
    ends: time
    zone: str
    by: str
    why: str = ""
    days_off: tuple[date, ...] = ()
    ended: datetime | None = None

    @property
    def gives(self) -> tuple[object, ...]:
        """Who is where and when by it: two shifts of which that is the same are one."""
        where = (self.member_sid, self.group_sid, self.host.casefold())
        return (*where, self.rule, self.begins, self.ends, self.zone, self.days_off)


@dataclass(frozen=True, slots=True)
class Stretch:
    """One time that a shift is worked, in UTC."""

    begin: datetime
    end: datetime


def stretches(shift: Shift, since: datetime, until: datetime) -> Iterator[Stretch]:
    """Yield the stretches that touch the time from `since` to `until`, in their order.

    Times are those of the clock on the wall: on the day on which clocks are changed a stretch is an hour shorter or
    longer. A time that is left out that night is taken as so much later.
    """
    zone = zone_of(shift.zone)
    begin = datetime.combine(shift.first, shift.begins)
    length = datetime.combine(shift.first, shift.ends) - begin
    over_midnight = timedelta() if length > timedelta() else _A_DAY
    # What began the day before may still last, and a zone is at most a day away from UTC.
    after = since.astimezone(zone).replace(tzinfo=None) - 2 * _A_DAY
    before = until.astimezone(zone).replace(tzinfo=None) + _A_DAY
    for start in starts(shift.rule, begin, after, before):
        if start.date() in shift.days_off:
            continue
        end = datetime.combine(start.date(), shift.ends) + over_midnight
        one = Stretch(_in_utc(start, zone), _in_utc(end, zone))
        if one.end > since and one.begin < until:
            yield one


def now_working(shift: Shift, now: datetime) -> Stretch | None:
    """Return the stretch that lasts now, if any does."""
    if shift.ended is not None:
        return None
    return next((one for one in stretches(shift, now, now + timedelta(seconds=1)) if one.begin <= now < one.end), None)


def why_unusable(shift: Shift, now: datetime) -> str:
    """Return why nobody works a shift that an older release took, empty where all is well."""
    try:
        next(stretches(shift, now, now + timedelta(seconds=1)), None)
    except InputError as error:
        return error.message
    return ""


def zone_of(name: str) -> ZoneInfo:
    """Return a time zone; `InputError` for a name that is none."""
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError) as error:
        raise InputError(f"'{name}' is no time zone, such as Europe/London") from error


def week_of(shift: Shift, now: datetime) -> list[list[bool]]:
    """Return for the coming seven days, by the clock of the zone, for each hour whether any of it is worked."""
    zone = zone_of(shift.zone)
    today = now.astimezone(zone).date()
    hours = [[False] * 24 for _ in range(7)]
    begin = _in_utc(datetime.combine(today, time()), zone)
    found = list(stretches(shift, begin, begin + 8 * _A_DAY)) if shift.ended is None else []
    for day in range(7):
        for hour in range(24):
            start = _in_utc(datetime.combine(today + day * _A_DAY, time(hour)), zone)
            hours[day][hour] = any(one.begin < start + timedelta(hours=1) and one.end > start for one in found)
    return hours


def days_in(begin: date, end: date) -> Collection[date]:
    """Return the days from one to before another."""
    return [begin + timedelta(days=n) for n in range(max(1, (end - begin).days))]


def _in_utc(naive: datetime, zone: ZoneInfo) -> datetime:
    return naive.replace(tzinfo=zone).astimezone(UTC)
