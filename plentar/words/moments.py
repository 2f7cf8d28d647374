"""Moments on a shop's own clock, whatever was kept."""

from datetime import UTC, datetime, tzinfo
from zoneinfo import ZoneInfo

__all__ = ["on_clock"]


def on_clock(moment: datetime | float, zone: str | tzinfo) -> datetime:
    """Return a moment on a clock of a time zone; one at the very edge of the calendar stays in UTC.

    Args:
        moment: With its offset, or seconds since 1970.
        zone: A time zone or its name.
    """
    if not isinstance(moment, datetime):
        moment = datetime.fromtimestamp(moment, UTC)
    try:
        return moment.astimezone(ZoneInfo(zone) if isinstance(zone, str) else zone)
    except OverflowError:
        return moment
