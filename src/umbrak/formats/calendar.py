"""Appointments as iCalendar (RFC 5545): one maintenance window, or a feed that calendars ask for again."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any


@dataclass(frozen=True, slots=True)
class Appointment:
    #: Makes its UID, so that one that was moved replaces the one sent before.
    key: str
    title: str
    place: str
    about: str
    #: A day alone is the whole of it.
    start: datetime | date
    end: datetime | None = None


def window_calendar(
    *, key: str, title: str, place: str, about: str, start: datetime, end: datetime, made: datetime
) -> bytes:
    """One event."""
    window = Appointment(key=key, title=title, place=place, about=about, start=start, end=end)
    return calendar_of([window], made, "maintenance window")


def calendar_of(appointments: Iterable[Appointment], made: datetime, called: str) -> bytes:
    from icalendar import Calendar

    calendar = Calendar()
    calendar.add("prodid", f"-//Umbrak//{called}//EN")
    calendar.add("version", "2.0")
    for one in appointments:
        calendar.add_component(_event(one, made))
    return bytes(calendar.to_ical())


def _event(a: Appointment, made: datetime) -> Any:
    from icalendar import Event

    event = Event()
    event.add("uid", f"{a.key}@umbrak")
    event.add("dtstamp", made)
    event.add("dtstart", a.start)
    if a.end is not None:
        event.add("dtend", a.end)
    elif not isinstance(a.start, datetime):
        event.add("dtend", a.start + timedelta(days=1))
    event.add("summary", a.title)
    if a.place:
        event.add("location", a.place)
    event.add("description", a.about)
    event.add("transp", "OPAQUE" if a.end is not None else "TRANSPARENT")
    return event
