"""Days of the calendar, as ISO 8601 writes them. Nobody here asks what day it is: that is told from outside."""

from __future__ import annotations

import calendar
from datetime import date, timedelta

from highmoor.core.errors import Refusal


def day_of(text: object) -> str:
    """A day as it is written (2026-09-30). Raises Refusal for what is none."""
    try:
        return date.fromisoformat(str(text).strip()).isoformat()
    except ValueError:
        raise Refusal(f"“{str(text)[:20]}” is no day; it is written as 2026-09-30.", value=text) from None


def months_after(day: str, months: int) -> str:
    """The same day so many months later; of a shorter month its last."""
    start = date.fromisoformat(day)
    year, month = divmod(start.year * 12 + start.month - 1 + months, 12)
    return date(year, month + 1, min(start.day, calendar.monthrange(year, month + 1)[1])).isoformat()


def days_after(day: str, days: int) -> str:
    """So many days later."""
    return (date.fromisoformat(day) + timedelta(days=days)).isoformat()


def days_from(one: str, other: str) -> int:
    """How many days the other comes after the one; below 0 where it comes before."""
    return (date.fromisoformat(other) - date.fromisoformat(one)).days
