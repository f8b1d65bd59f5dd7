"""Timestamps and durations as CEL has them: nanoseconds, years 1 to 9999, durations of 64 bits."""

import re
from typing import Any

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.words import Value, say

_NANO = 1_000_000_000
_EARLIEST, _LATEST = -62_135_596_800 * _NANO, 253_402_300_800 * _NANO - 1
_LONGEST = 2**63 - 1
_TIMESTAMP = regex(r"(\d{4})-(\d{2})-(\d{2})[Tt](\d{2}):(\d{2}):(\d{2})(?:\.(\d{1,9}))?(?:([Zz])|([+-])(\d{2}):(\d{2}))\Z", re.ASCII)
_DURATION = regex(r"[+-]?(?:\d+(?:\.\d*)?(?:h|m(?!s)|s|ms|us|µs|μs|ns)|\.\d+(?:h|m(?!s)|s|ms|us|µs|μs|ns))+\Z", re.ASCII)
_PART = regex(r"(\d*)(?:\.(\d*))?(h|ms|m|s|us|µs|μs|ns)", re.ASCII)
_UNITS = {"h": 3600 * _NANO, "m": 60 * _NANO, "s": _NANO, "ms": 1_000_000, "us": 1_000, "µs": 1_000, "μs": 1_000, "ns": 1}


class _Ordered:
    """Comparison by nanoseconds with others of the same class."""

    __slots__ = ("nanos",)

    def __init__(self, nanos: int) -> None:
        self.nanos = nanos

    def __eq__(self, other: object) -> bool:
        return type(other) is type(self) and self.nanos == other.nanos

    def __hash__(self) -> int:
        return hash((type(self).__name__, self.nanos))

    def __lt__(self, other: Any) -> bool:
        return bool(self.nanos < other.nanos)

    def __le__(self, other: Any) -> bool:
        return bool(self.nanos <= other.nanos)


class Timestamp(_Ordered):
    """A moment: nanoseconds since 1970-01-01T00:00:00Z."""

    __slots__ = ()
    type_name = "timestamp"

    def __repr__(self) -> str:
        return timestamp_text(self)


class Duration(_Ordered):
    """A length of time in nanoseconds."""

    __slots__ = ()
    type_name = "duration"

    def __repr__(self) -> str:
        return duration_text(self)


def timestamp(nanos: int) -> Timestamp:
    """Raises EvaluationError outside of the years 1 to 9999."""
    if _EARLIEST <= nanos <= _LATEST:
        return Timestamp(nanos)
    raise EvaluationError(say("The moment lies outside of the years 1 to 9999."), id="conversion-fails")


def duration(nanos: int) -> Duration:
    """Raises EvaluationError beyond 64 bits of nanoseconds, about 292 years."""
    if -_LONGEST <= nanos <= _LONGEST:
        return Duration(nanos)
    raise EvaluationError(say("The duration is longer than 64 bits of nanoseconds hold, about 292 years."), id="conversion-fails")


def read_timestamp(text: str) -> Timestamp:
    """RFC 3339."""
    import datetime

    match = _TIMESTAMP.match(text)
    if match is None:
        raise EvaluationError(
            say("The text {} is not a moment as RFC 3339 writes it.", Value(text)),
            hint=say("It looks like 2026-11-23T06:20:00Z."),
            id="conversion-fails",
        )
    year, month, day, hour, minute, second = (int(part) for part in match.groups()[:6])
    try:
        days = datetime.date(year, month, day).toordinal() - 719_163
        if hour > 23 or minute > 59 or second > 59:
            raise ValueError
    except ValueError:
        raise EvaluationError(say("The text {} is not a date and time that exists.", Value(text)), id="conversion-fails") from None
    offset = 0
    if match[9]:
        offset = (int(match[10]) * 3600 + int(match[11]) * 60) * (1 if match[9] == "+" else -1)
    seconds = days * 86_400 + hour * 3600 + minute * 60 + second - offset
    return timestamp(seconds * _NANO + int((match[7] or "").ljust(9, "0")))


def read_duration(text: str) -> Duration:
    """Hours to nanoseconds, as in 1h30m or -1.5s."""
    if not _DURATION.match(text):
        if text in ("0", "+0", "-0"):
            return Duration(0)
        raise EvaluationError(
            say("The text {} is not a duration.", Value(text)), hint=say("It looks like 1h30m or 90s."), id="conversion-fails"
        )
    total = 0
    for whole, fraction, unit in _PART.findall(text):
        scale = _UNITS[unit]
        total += int(whole or 0) * scale
        if fraction:
            total += int(fraction) * scale // 10 ** len(fraction)
    return duration(-total if text[0] == "-" else total)


def _fraction(nanos: int) -> str:
    return f".{nanos:09d}".rstrip("0") if nanos else ""


def timestamp_text(moment: Timestamp) -> str:
    """RFC 3339 in UTC, without trailing zeros of a second."""
    date, (seconds, nanos) = _date(moment.nanos), divmod(moment.nanos % (86_400 * _NANO), _NANO)
    clock = f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}"
    return f"{date.year:04d}-{date.month:02d}-{date.day:02d}T{clock}{_fraction(nanos)}Z"


def duration_text(length: Duration) -> str:
    """Seconds with a fraction where there is one, as in 90s or 0.5s."""
    seconds, nanos = divmod(abs(length.nanos), _NANO)
    return f"{'-' if length.nanos < 0 else ''}{seconds}{_fraction(nanos)}s"


def _date(nanos: int) -> Any:
    import datetime

    return datetime.date.fromordinal(nanos // (86_400 * _NANO) + 719_163)


def _shifted(moment: Timestamp, zone: str) -> int:
    """The local nanoseconds in a zone: an IANA name, or an offset such as -09:30."""
    offset = re.match(r"([+-]?)(\d{2}):(\d{2})\Z", zone, re.ASCII)
    if offset:
        seconds = (int(offset[2]) * 3600 + int(offset[3]) * 60) * (-1 if offset[1] == "-" else 1)
        return moment.nanos + seconds * _NANO
    import datetime
    import zoneinfo

    try:
        info = zoneinfo.ZoneInfo(zone)
    except (zoneinfo.ZoneInfoNotFoundError, ValueError, OSError):
        raise EvaluationError(
            say("There is no time zone {}.", Value(zone)), hint=say("Zones look like Europe/Rome or +02:00."), id="conversion-fails"
        ) from None
    utc = datetime.datetime(1970, 1, 1, tzinfo=datetime.UTC) + datetime.timedelta(seconds=moment.nanos // _NANO)
    shift = utc.astimezone(info).utcoffset() or datetime.timedelta()
    return moment.nanos + int(shift.total_seconds()) * _NANO


def accessor(part: str) -> Any:
    """The function that reads one part of a moment, with an optional zone."""
    read = _PARTS[part]

    def run(moment: Timestamp, zone: str = "") -> int:
        return int(read(_shifted(moment, zone) if zone else moment.nanos))

    return run


def _in_day(nanos: int) -> int:
    return nanos % (86_400 * _NANO)


_PARTS: dict[str, Any] = {
    "getFullYear": lambda n: _date(n).year,
    "getMonth": lambda n: _date(n).month - 1,
    "getDate": lambda n: _date(n).day,
    "getDayOfMonth": lambda n: _date(n).day - 1,
    "getDayOfWeek": lambda n: _date(n).isoweekday() % 7,
    "getDayOfYear": lambda n: _date(n).timetuple().tm_yday - 1,
    "getHours": lambda n: _in_day(n) // (3600 * _NANO),
    "getMinutes": lambda n: _in_day(n) // (60 * _NANO) % 60,
    "getSeconds": lambda n: _in_day(n) // _NANO % 60,
    "getMilliseconds": lambda n: _in_day(n) // 1_000_000 % 1000,
}


def _towards_zero(nanos: int, unit: int) -> int:
    return abs(nanos) // unit * (-1 if nanos < 0 else 1)


DURATION_PARTS: dict[str, Any] = {
    "getHours": lambda d: _towards_zero(d.nanos, 3600 * _NANO),
    "getMinutes": lambda d: _towards_zero(d.nanos, 60 * _NANO),
    "getSeconds": lambda d: _towards_zero(d.nanos, _NANO),
    "getMilliseconds": lambda d: _towards_zero(d.nanos, 1_000_000) - _towards_zero(d.nanos, _NANO) * 1000,
}
