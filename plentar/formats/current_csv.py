"""A logged current as CSV, from whatever meter: delimiter, header, time and decimal style are found out.

Files are read as a stream, block by block into arrays, so that a long log takes no more memory than its numbers.
"""

import codecs
import csv
import io
import re
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime
from itertools import chain, islice
from typing import IO

import clevercsv
import numpy as np
from numpy.typing import NDArray

from plentar.core.errors import ReadingError
from plentar.words.figures import thousands

__all__ = ["MAX_ROWS", "CurrentLog", "count_lines", "read_current_csv", "write_current_csv"]

Floats = NDArray[np.float64]
SAMPLE_BYTES, BLOCK_ROWS = 32_768, 20_000
# A day at 20 samples a second; a heat call lasts minutes.
MAX_ROWS, MAX_LINE = 1_800_000, 2_000
HOUR = 3600.0
TOO_MANY = f"more than {thousands(MAX_ROWS)} rows: cut the log to the heat call"
# No clamp of this trade reads more.
MOST_AMPS = 2_000.0
_CLOCK = re.compile(r"(\d{1,2}):(\d{2})(?::(\d{2})(?:[.,](\d+))?)?\s*([AaPp][Mm])?\Z")
_DATE = re.compile(r"(\d{1,4})[-/.](\d{1,2})[-/.](\d{1,4})\Z")
_NUMBER = re.compile(r"[-+]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][-+]?\d+)?\Z")
_CONTROL = re.compile(rb"[\x00-\x08]")
_LOST = {"", "nan", "ol", "o.l", "---", "--", "-", "null", "none", "error", "n/a"}


@dataclass(frozen=True, slots=True, kw_only=True)
class CurrentLog:
    """What a file held: seconds from its first row, amps with not-a-number for lost samples; shape (n,) both.

    `called_seconds` and `dropped_seconds` come from a column named W or call, where there is one.
    """

    seconds: Floats
    amps: Floats
    found: str
    called_seconds: float | None = None
    dropped_seconds: float | None = None


@dataclass(slots=True)
class _Layout:
    """Where things stand in a row, and how numbers are written."""

    delimiter: str
    comma: bool
    time: int
    clock: int | None
    amps: int
    call: int | None
    scale: float
    header: bool


def read_current_csv(
    data: Iterable[bytes],
    *,
    told: Callable[[int], None] | None = None,
    rows: int | None = None,
    clocks_went_back: bool = False,
) -> CurrentLog:
    """Read a log.

    Args:
        data: The file's bytes in chunks of any size.
        told: Called with the rows read so far, block by block.
        rows: How many lines it has, where somebody counted: too many are refused before any is read.
        clocks_went_back: An hour stands in it twice, since the clocks went back that night: the second goes on from
            the first. Without being told so nobody can know: it may be two recordings in one file.
    Raises:
        ReadingError: Empty, not text, one column only, no time or no amps column, text where numbers should be, time
            that goes backwards, more rows than any heat call has. The text names the line.
    """
    if rows is not None and rows > MAX_ROWS:
        raise ReadingError(TOO_MANY, field="log")
    try:
        return _read(data, told, clocks_went_back)
    except csv.Error as error:
        raise ReadingError(f"that is no table of rows and columns: {error}", field="log") from error


def count_lines(stream: IO[bytes]) -> int:
    """Return how many lines a file has, and leave it at its start."""
    stream.seek(0)
    count = sum(chunk.count(b"\n") for chunk in iter(lambda: stream.read(1 << 20), b""))
    stream.seek(0)
    return count


def _read(data: Iterable[bytes], told: Callable[[int], None] | None, clocks_went_back: bool) -> CurrentLog:
    lines = _Lines(iter(data))
    first = list(islice(lines, 200))
    if not any(line.strip() for line in first):
        raise ReadingError("the file is empty", field="log")
    layout = _layout(first)
    rows = csv.reader(chain(first, lines), delimiter=layout.delimiter)
    seconds: list[Floats] = []
    amps: list[Floats] = []
    calls: list[NDArray[np.int8]] = []
    number, count, clock = 0, 0, _Clock()
    if layout.header:
        next(rows)
        number = 1
    while block := list(islice(rows, BLOCK_ROWS)):
        t, a, c = _block(block, layout, number, clock)
        number += len(block)
        count += t.size
        if count > MAX_ROWS:
            raise ReadingError(TOO_MANY, field="log")
        seconds.append(t)
        amps.append(a)
        calls.append(c)
        if told is not None:
            told(count)
    if count < 3:
        raise ReadingError(f"expected at least three rows of time and amps, got {count}", field="log")
    whole = _past_the_hour(np.concatenate(seconds), layout, clocks_went_back)
    return _whole(whole, np.concatenate(amps), np.concatenate(calls), layout)


class _Lines:
    """The lines of a file, decoded chunk by chunk; refuses what is no text."""

    def __init__(self, data: Iterator[bytes]) -> None:
        self.data, self.rest, self.is_wide = data, "", False
        self.decoder: codecs.IncrementalDecoder | None = None
        self.ready: Iterator[str] = iter(())
        self.is_done = False

    def __iter__(self) -> "_Lines":
        return self

    def __next__(self) -> str:
        while True:
            line = next(self.ready, None)
            if line is not None:
                return line
            if self.is_done:
                raise StopIteration
            self.ready = iter(self._more())

    def _more(self) -> list[str]:
        chunk = next(self.data, None)
        self.is_done = chunk is None
        if self.decoder is None:
            self.decoder = self._begin(chunk or b"")
        text = self.rest + self._decoded(chunk or b"", final=self.is_done)
        whole, _, self.rest = text.rpartition("\n")
        found = whole.split("\n") if whole else []
        if self.is_done:
            found += [self.rest] if self.rest else []
            self.rest = ""
        if len(self.rest) > MAX_LINE or any(len(line) > MAX_LINE for line in found):
            raise ReadingError("a line is too long for a log. Is this CSV?", field="log")
        return found

    def _begin(self, chunk: bytes) -> codecs.IncrementalDecoder:
        self.is_wide = chunk[:2] in (b"\xff\xfe", b"\xfe\xff")
        if not self.is_wide and b"\0" in chunk[:SAMPLE_BYTES]:
            raise ReadingError("this is a binary file, not CSV. Export the log as CSV text", field="log")
        return codecs.getincrementaldecoder("utf-16" if self.is_wide else "utf-8-sig")()

    def _decoded(self, piece: bytes, *, final: bool) -> str:
        if not self.is_wide and _CONTROL.search(piece):
            raise ReadingError("this is a binary file, not CSV. Export the log as CSV text", field="log")
        assert self.decoder is not None  # noqa: S101 - made with the first chunk
        try:
            text = self.decoder.decode(piece, final)
        except UnicodeDecodeError:
            if self.is_wide:
                raise ReadingError("this is not text. Export the log as CSV", field="log") from None
            # An older meter's own code page: every byte is a letter of it.
            self.decoder = codecs.getincrementaldecoder("latin-1")()
            text = self.decoder.decode(piece, final)
        # A carriage return alone ends a line too, on old systems.
        return text.replace("\r\n", "\n").replace("\r", "\n" if "\n" not in text else "")


def _layout(first: list[str]) -> _Layout:
    """Find out how the file is written from its first lines."""
    sample = [line for line in first if line.strip()][:60]
    body = "\n".join(sample[-40:])
    delimiter = _delimiter(body)
    rows = list(csv.reader(sample, delimiter=delimiter))
    width = max(len(row) for row in rows)
    if width < 2:
        raise ReadingError("only one column. Expected time and amps", field="log")
    head = rows[0]
    header = not any(_is_number(cell) or _CLOCK.match(cell.strip()) for cell in head)
    names = [cell.strip().casefold() for cell in head] if header else [""] * width
    values = [row for row in rows[1 if header else 0 :] if len(row) >= 2]
    if not values:
        raise ReadingError("no rows under the header", field="log")
    call = next((i for i, name in enumerate(names) if name in ("w", "call", "w call", "heat call")), None)
    time, clock = _time_columns(names, values)
    amps = _amps_column(names, values, {time, clock, call})
    milli = bool(re.search(r"\bma\b|\[ma\]|\(ma\)|_ma\b|milliamp", names[amps]))
    # "12,5" can only be a decimal comma where commas do not part the columns.
    comma = delimiter != "," and any("," in row[amps] for row in values if len(row) > amps)
    return _Layout(delimiter, comma, time, clock, amps, call, 1e-3 if milli else 1.0, header)


def _delimiter(body: str) -> str:
    for sure in (";", "\t"):
        if body.count(sure) >= max(1, body.count("\n")):
            return sure
    try:
        found = clevercsv.Sniffer().sniff(body, delimiters=[",", ";", "\t", "|", " "])
    except clevercsv.exceptions.NoDetectionResult:
        return ","
    return found.delimiter or ","


def _is_number(cell: str) -> bool:
    return _NUMBER.match(cell.strip()) is not None


def _time_columns(names: list[str], values: list[list[str]]) -> tuple[int, int | None]:
    """Return the column of time, and of the time of day where date and time stand apart."""
    row = values[0]
    dates = [i for i, cell in enumerate(row) if _DATE.match(cell.strip())]
    clocks = [i for i, cell in enumerate(row) if _CLOCK.match(cell.strip())]
    if dates and clocks:
        return dates[0], clocks[0]
    if clocks:
        return clocks[0], None
    stamps = [i for i, cell in enumerate(row) if _is_stamp(cell)]
    if stamps:
        return stamps[0], None
    named = [i for i, name in enumerate(names) if re.search(r"time|sec|elapsed|\bt\b|\bs\b", name) and i < len(row)]
    numeric = [i for i, cell in enumerate(row) if _is_number(cell)]
    wanted = [i for i in named if i in numeric] or numeric
    if len(numeric) < 2 or not wanted:
        raise ReadingError("found no column of time beside one of amps", field="log")
    return wanted[0], None


def _is_stamp(cell: str) -> bool:
    day, _, clock = cell.strip().replace("T", " ").partition(" ")
    return bool(_DATE.match(day) and _CLOCK.match(clock.strip().removesuffix("Z")))


def _amps_column(names: list[str], values: list[list[str]], taken: set[int | None]) -> int:
    row = max(values, key=len)
    numeric = [
        i
        for i in range(len(row))
        if i not in taken and sum(len(r) > i and _is_number(r[i]) for r in values) * 2 > len(values)
    ]
    if not numeric:
        raise ReadingError("found no column of amps: expected numbers beside the time", field="log")
    named = [i for i in numeric if i < len(names) and re.search(r"amp|current|\bm?a\b|\[m?a\]|\(m?a\)", names[i])]
    return (named or numeric)[0]


@dataclass(slots=True)
class _Clock:
    """Seconds of a row's time, counted on over midnight; days are worked out once each."""

    previous: float = -np.inf
    carried: float = 0.0
    days: dict[str, float] | None = None

    def seconds(self, stamp: str, clock: str | None) -> float:
        """Return seconds from some fixed moment.

        Raises:
            ValueError: No time is written there.
        """
        text = stamp.strip()
        if clock is not None:
            return self._day(text) + self._of_day(clock.strip())
        if ":" not in text:
            return float(text.replace(",", "."))
        day, _, rest = text.replace("T", " ").removesuffix("Z").partition(" ")
        if rest and _DATE.match(day):
            return self._day(day) + self._of_day(rest.strip())
        found = self._of_day(text) + self.carried
        if found < self.previous - 43_200:
            # Past midnight.
            self.carried += 86_400
            found += 86_400
        self.previous = found
        return found

    def _of_day(self, text: str) -> float:
        match = _CLOCK.match(text)
        if match is None:
            raise ValueError(text)
        hours, minutes, seconds, fraction, half = match.groups()
        hour = int(hours) % 12 + (12 if half.casefold() == "pm" else 0) if half else int(hours)
        part = int(fraction) / 10 ** len(fraction) if fraction else 0.0
        return 3600.0 * hour + 60.0 * int(minutes) + int(seconds or 0) + part

    def _day(self, text: str) -> float:
        self.days = self.days or {}
        if text not in self.days:
            match = _DATE.match(text)
            if match is None:
                raise ValueError(text)
            a, b, c = (int(part) for part in match.groups())
            year, month, day = (a, b, c) if a > 31 else (c, a, b)
            if month > 12:
                month, day = day, month
            year += 2000 if year < 100 else 0
            self.days[text] = datetime(year, month, day).toordinal() * 86_400.0  # noqa: DTZ001 - only differences count
        return self.days[text]


def _block(
    rows: list[list[str]], layout: _Layout, before: int, clock: _Clock
) -> tuple[Floats, Floats, NDArray[np.int8]]:
    """Turn rows into arrays; `before` is how many lines came earlier."""
    quick = _quick_block(rows, layout)
    if quick is not None:
        return quick
    t = np.empty(len(rows))
    a = np.empty(len(rows))
    c = np.full(len(rows), -1, dtype=np.int8)
    kept = 0
    for index, row in enumerate(rows):
        if not row or (len(row) == 1 and not row[0].strip()):
            continue
        try:
            t[kept] = clock.seconds(row[layout.time], None if layout.clock is None else row[layout.clock])
        except (ValueError, IndexError) as error:
            raise ReadingError(f"line {before + index + 1}: no time in “{_shown(row)}”", field="log") from error
        cell = row[layout.amps].strip() if len(row) > layout.amps else ""
        try:
            a[kept] = float(cell.replace(",", ".") if layout.comma else cell) * layout.scale
        except ValueError as error:
            if cell.casefold() not in _LOST:
                words = f"line {before + index + 1}: expected amps as a number, got “{cell[:30]}”"
                raise ReadingError(words, field="log") from error
            a[kept] = np.nan
        if layout.call is not None and len(row) > layout.call:
            c[kept] = row[layout.call].strip().casefold() in ("1", "on", "true", "yes", "w")
        kept += 1
    return t[:kept], a[:kept], c[:kept]


def _quick_block(rows: list[list[str]], layout: _Layout) -> tuple[Floats, Floats, NDArray[np.int8]] | None:
    """Turn rows of plain numbers into arrays at once; None where anything needs a closer look."""
    if layout.comma or layout.clock is not None or layout.call is not None:
        return None
    try:
        t = np.array([row[layout.time] for row in rows]).astype(float)
        a = np.array([row[layout.amps] or "nan" for row in rows]).astype(float) * layout.scale
    except (ValueError, IndexError):
        return None
    return t, a, np.full(len(rows), -1, dtype=np.int8)


def _shown(row: list[str]) -> str:
    return " ".join(row)[:40]


def _past_the_hour(seconds: Floats, layout: _Layout, clocks_went_back: bool) -> Floats:
    """Return the times with a repeated hour laid out behind itself, when somebody says that the clocks went back.

    Raises:
        ReadingError: Time falls back by about an hour and nobody said why: the text asks.
    """
    steps = np.diff(seconds)
    back = np.nonzero(steps < 0)[0]
    # A meter samples every few seconds, at most a minute apart: what falls back is the hour, less one step.
    if back.size != 1 or not HOUR - 120 <= -steps[back[0]] <= HOUR:
        return seconds
    if not clocks_went_back:
        line = int(back[0]) + 2 + layout.header
        words = (
            f"line {line}: the clock falls back an hour here. Did the clocks go back that night, or are these two "
            "recordings? If the clocks went back, say so and send it again; else send them one by one"
        )
        raise ReadingError(words, field="clocks")
    later = seconds.copy()
    later[back[0] + 1 :] += HOUR
    return later


def _whole(seconds: Floats, amps: Floats, calls: NDArray[np.int8], layout: _Layout) -> CurrentLog:
    back = np.nonzero(np.diff(seconds) < 0)[0]
    if back.size:
        line = int(back[0]) + 2 + layout.header
        raise ReadingError(f"line {line}: time goes backwards", field="log")
    # Two rows of one moment: a meter that stamps whole seconds. Spread them over the step that follows.
    same = np.nonzero(np.diff(seconds) == 0)[0]
    if same.size:
        seconds = _spread(seconds)
    steps = np.diff(seconds)
    if np.median(steps) > 60:
        # Milliseconds taken for seconds give a log of days.
        seconds = seconds / 1000 if np.all(seconds == np.round(seconds)) and np.median(steps) >= 100 else seconds
    finite = amps[np.isfinite(amps)]
    if finite.size < 3:
        raise ReadingError("no amps in this log. Every sample is missing", field="log")
    if np.max(np.abs(finite)) > MOST_AMPS:
        if layout.scale == 1.0 and np.max(np.abs(finite)) / 1000 <= MOST_AMPS:
            amps = amps / 1000
        else:
            raise ReadingError(f"{np.max(np.abs(finite)):g} A is no clamp's reading: check the units", field="log")
    amps = np.abs(amps)
    start = float(seconds[0])
    called, dropped = None, None
    on = np.nonzero((calls[1:] == 1) & (calls[:-1] != 1))[0]
    off = np.nonzero((calls[1:] == 0) & (calls[:-1] == 1))[0]
    if calls[0] == 1:
        called = 0.0
    elif on.size:
        called = float(seconds[on[0] + 1]) - start
    if off.size and called is not None:
        dropped = float(seconds[off[-1] + 1]) - start
    names = {",": "comma", ";": "semicolon", "\t": "tab", " ": "space", "|": "bar"}
    found = (
        f"{thousands(seconds.size)} rows, {names.get(layout.delimiter, layout.delimiter)} between columns, "
        f"{'decimal comma' if layout.comma else 'decimal point'}, {'mA' if layout.scale < 1 else 'A'}"
    )
    return CurrentLog(seconds=seconds - start, amps=amps, found=found, called_seconds=called, dropped_seconds=dropped)


def _spread(seconds: Floats) -> Floats:
    """Spread rows that share a moment evenly up to the next moment."""
    moments, first, count = np.unique(seconds, return_index=True, return_counts=True)
    steps = np.append(np.diff(moments), np.median(np.diff(moments)) if moments.size > 1 else 1.0)
    within = np.arange(seconds.size) - np.repeat(first, count)
    spread: Floats = seconds + within * np.repeat(np.minimum(steps, 1e9) / count, count)
    return spread


def write_current_csv(seconds: Floats, amps: Floats, calls: NDArray[np.bool_] | None = None) -> str:
    """Return a log as CSV: seconds, amps, and the heat call where it is known."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(["seconds", "amps", *(["W"] if calls is not None else [])])
    for i, (t, a) in enumerate(zip(seconds.tolist(), amps.tolist(), strict=True)):
        shown = "" if a != a else f"{a:.2f}"
        writer.writerow([f"{t:.3f}", shown, *([int(calls[i])] if calls is not None else [])])
    return out.getvalue()
