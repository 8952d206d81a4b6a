"""The evening's tasks as iCalendar (RFC 5545), through the `icalendar` package."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import TYPE_CHECKING

from tarvik.core.errors import InputError

if TYPE_CHECKING:
    from collections.abc import Mapping

    from tarvik.core.plain import JsonMapping


def evening_calendar(
    evening: JsonMapping,
    names: Mapping[int, str],
    title: str,
    made_at: datetime,
    key: str,
) -> bytes:
    """One event a task, with who does it. Raises InputError while the night has no date."""
    # Until a calendar is asked for the server does without 3 MB.
    from icalendar import Calendar, Event  # noqa: PLC0415

    if not evening.get("on"):
        raise InputError("on", "give the night a date, then the evening has clock times")
    start = datetime.fromisoformat(evening["on"])
    if start.tzinfo is None:
        start = start.replace(tzinfo=UTC)
    calendar = Calendar()
    calendar.add("prodid", "-//Tarvik//Evening//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", title)
    for number, task in enumerate(evening["tasks"]):
        event = Event()
        event.add("uid", f"{key}-{number}@tarvik")
        event.add("dtstamp", made_at)
        event.add("dtstart", start + timedelta(minutes=task["start"]))
        event.add("dtend", start + timedelta(minutes=task["end"]))
        event.add("summary", f"Shelter {task['shelter']}: {task['stage']}")
        event.add("description", ", ".join(names.get(p, "?") for p in task["who"]))
        calendar.add_component(event)
    return bytes(calendar.to_ical())
