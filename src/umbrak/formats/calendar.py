"""The maintenance window as iCalendar (RFC 5545)."""

from __future__ import annotations

from datetime import datetime


def window_calendar(
    *, key: str, title: str, place: str, about: str, start: datetime, end: datetime, made: datetime
) -> bytes:
    """One event. `key` makes its UID, so that a window moved replaces the one sent before."""
    from icalendar import Calendar, Event

    calendar = Calendar()
    calendar.add("prodid", "-//Umbrak//maintenance window//EN")
    calendar.add("version", "2.0")
    event = Event()
    event.add("uid", f"{key}@umbrak")
    event.add("dtstamp", made)
    event.add("dtstart", start)
    event.add("dtend", end)
    event.add("summary", title)
    if place:
        event.add("location", place)
    event.add("description", about)
    event.add("transp", "OPAQUE")
    calendar.add_component(event)
    return bytes(calendar.to_ical())
