"""When something was, in words."""

from __future__ import annotations

from datetime import datetime

# Days that are counted; what is older is told by its date.
MOST_DAYS = 7


def day_words(then: datetime, now: datetime) -> str:
    """Return "today, 14:05", "yesterday, 9:30", "3 days ago" or the date as ISO writes it."""
    days = (now.date() - then.date()).days
    clock = f"{then.hour}:{then.minute:02d}"
    if days in (0, 1):
        return f"{('today', 'yesterday')[days]}, {clock}"
    return f"{days} days ago" if 1 < days <= MOST_DAYS else then.date().isoformat()
