"""A technician's calls as a calendar (RFC 5545), with the shop's own time zone in it."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from icalendar import Calendar, Event

__all__ = ["Appointment", "calendar_of"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Appointment:
    """One call: when by UTC, how long, where in as few words as its reader needs; `words` only where chosen."""

    id: str
    begins_at: datetime
    minutes: int
    title: str
    words: str = ""
    changed: int = 0


def calendar_of(name: str, zone: ZoneInfo, appointments: Iterable[Appointment], now: datetime) -> bytes:
    """Return a calendar file; its times are of the shop's zone, which is described in it.

    Args:
        name: What the calendar is called.
        zone: The shop's.
        appointments: The calls.
        now: When this was made.
    """
    calendar = Calendar()
    calendar.add("prodid", "-//Plentar//calls//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", name)
    for item in appointments:
        event = Event()
        begins = item.begins_at.astimezone(zone)
        event.add("uid", f"{item.id}@plentar")
        event.add("dtstamp", now)
        event.add("dtstart", begins)
        event.add("dtend", (item.begins_at + timedelta(minutes=item.minutes)).astimezone(zone))
        event.add("sequence", item.changed)
        event.add("summary", item.title)
        if item.words:
            event.add("description", item.words)
        calendar.add_component(event)
    calendar.add_missing_timezones()
    return bytes(calendar.to_ical())
