"""By when a film is to be answered: the coach's own promise in working days."""

from __future__ import annotations

from datetime import datetime, timedelta

import holidays
import numpy as np

from deepmirror.errors import LibraryError
from deepmirror.words import say

REPLY_DAYS = 2  # working days, the usual promise; common practice, no source


def answer_due(arrived: datetime, days: int = REPLY_DAYS, country: str = "") -> datetime:
    """So many working days after a film came, at the same hour; Saturdays, Sundays and a country's holidays do not count.

    What comes on such a day counts as having come on the last working day at its very end.

    country: two letters (ISO 3166), none for no holidays. Holidays are those of the library `holidays`.
    """
    free: list[str] = []
    if country:
        known = holidays.country_holidays(country, years=[arrived.year, arrived.year + 1])
        free = [day.isoformat() for day in known]
    day = np.busday_offset(arrived.date().isoformat(), days, roll="backward", holidays=free)
    due = arrived + timedelta(days=int((day - np.datetime64(arrived.date().isoformat())).astype(int)))
    at_work = np.is_busday(arrived.date().isoformat(), holidays=free)
    return due if at_work else due.replace(hour=23, minute=59)


def check_country(code: str) -> str:
    """A country whose holidays are known, or none. Raises LibraryError."""
    plain = code.strip().upper()
    if plain and plain not in holidays.list_supported_countries():
        raise LibraryError(say("The holidays of “{code}” are not known: two letters, as in NO or DE.", code=code))
    return plain
