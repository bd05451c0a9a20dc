"""Days as people write them: `18 dec`, `18.12.2026`, `next fri`, `in 2 weeks`. What has two readings is refused."""

from __future__ import annotations

import re
from datetime import date, timedelta

from octaplan.core.values.errors import TypedError

_MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
_WEEKDAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
_WORDS = {"today": 0, "tomorrow": 1}

_ISO = re.compile(r"\d{4}-\d{1,2}-\d{1,2}")
_NAMED = re.compile(
    r"(?:(?P<day>\d{1,2})(?:st|nd|rd|th)?\.?\s*(?:of\s+)?(?P<month>[a-z]{3,9})\.?|(?P<first>[a-z]{3,9})\.?\s+(?P<then>\d{1,2})(?:st|nd|rd|th)?),?"
    r"(?:\s*(?P<year>\d{4}|'?\d{2}))?"
)
_NUMBERS = re.compile(r"(?P<one>\d{1,2})(?P<sign>[./-])(?P<other>\d{1,2})(?:(?P=sign)(?P<year>\d{4}|\d{2})?)?")
_WEEKDAY = re.compile(r"(?:(?P<next>next|this|on)\s+)?(?P<name>[a-z]{3,9})")
_AHEAD = re.compile(r"(?:in\s+|\+)?(?P<many>\d{1,3})\s*(?P<unit>days?|weeks?|d|w)?")


def read_day(typed: str, today: date) -> date:
    """A day that somebody wrote; without a year the next such day, without a date the next such weekday.

    Raises `TypedError` with what it may have been.
    """
    text = " ".join(typed.casefold().split()).rstrip(",")
    text = re.sub(rf"^(?:{'|'.join(_WEEKDAYS)})[a-z]*,?\s+(?=\d)", "", text)  # Fri 18 Dec
    for reader in (_iso, _named, _numbers, _weekday, _ahead):
        found = reader(text, today)
        if found is not None:
            return found
    raise TypedError(f"{typed.strip()[:40]!r} is no day: write such as 18 dec, 18.12.2026, next fri or 2026-12-18")


def _iso(text: str, today: date) -> date | None:
    if not _ISO.fullmatch(text):
        return None
    year, month, day = map(int, text.split("-"))
    return _dated(day, month, year, today)


def _named(text: str, today: date) -> date | None:
    found = _NAMED.fullmatch(text)
    name = (found["month"] or found["first"])[:3] if found else ""
    if found is None or name not in _MONTHS:
        return None
    day = int(found["day"] or found["then"])
    return _dated(day, _MONTHS.index(name) + 1, _year(found["year"]), today)


def _numbers(text: str, today: date) -> date | None:
    found = _NUMBERS.fullmatch(text)
    if found is None:
        return None
    one, other, year = int(found["one"]), int(found["other"]), _year(found["year"])
    if found["sign"] != "." and one <= 12 and other <= 12 and one != other:
        names = [_MONTHS[number - 1].title() for number in (other, one)]
        raise TypedError(f"{text!r} may be {one} {names[0]} or {other} {names[1]}: write the month's name")
    if found["sign"] != "." and other > 12:
        one, other = other, one
    return _dated(one, other, year, today)


def _weekday(text: str, today: date) -> date | None:
    if text in _WORDS:
        return today + timedelta(_WORDS[text])
    found = _WEEKDAY.fullmatch(text)
    if found is None or found["name"][:3] not in _WEEKDAYS:
        return None
    ahead = (_WEEKDAYS.index(found["name"][:3]) - today.weekday() - 1) % 7 + 1
    return today + timedelta(ahead)


def _ahead(text: str, today: date) -> date | None:
    found = _AHEAD.fullmatch(text)
    if found is None or (not found["unit"] and not text.startswith("+")):
        return None
    return today + timedelta(int(found["many"]) * (7 if (found["unit"] or "d").startswith("w") else 1))


def _year(text: str | None) -> int | None:
    return None if not text else int(text.lstrip("'")) + (2000 if len(text.lstrip("'")) == 2 else 0)


def _dated(day: int, month: int, year: int | None, today: date) -> date:
    for tried in (year,) if year is not None else range(today.year, today.year + 9):  # 29 February comes again
        try:
            found = date(tried, month, day)
        except ValueError as error:
            if year is not None:
                raise TypedError(f"There is no such day: {error}") from None
            continue
        if year is not None or found >= today:
            return found
    raise TypedError(f"There is no day {day} in month {month}")
