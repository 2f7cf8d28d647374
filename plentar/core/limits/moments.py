"""What a moment may be when something of a call is recorded: the figures every way in asks for."""

__all__ = [
    "BEFORE_OPENING_SECONDS",
    "CLOCK_STEP_SECONDS",
    "MOST_CLOCK_SECONDS",
    "MOST_DOUBT_SECONDS",
    "OLDEST_OPENING_SECONDS",
]

# A call begun without signal is opened by a phone's clock: what was done on it may seem to be a day older.
BEFORE_OPENING_SECONDS = 86_400.0
# A clock that shows whole seconds is up to one ahead.
CLOCK_STEP_SECONDS = 1.0
# A phone that never heard the server says this much; every page hands it over. A larger doubt can't be put in order.
MOST_DOUBT_SECONDS = 3_600.0
# A doubt that is no number of seconds any more: a hundred days.
MOST_CLOCK_SECONDS = 1e7
# Nobody comes back to a call begun more than a year ago: such a moment is a wrong clock.
OLDEST_OPENING_SECONDS = 400 * 86_400.0
