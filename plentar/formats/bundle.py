"""A whole shop as one file: a zip of JSON lines, a tidy CSV of readings, photos and logs, with a manifest of checksums.

Written and read a line at a time: its size is no matter of memory. The manifest comes last, so a file that was cut
short has none.
"""

import csv
import io
import json
import math
import zipfile
import zlib
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from hashlib import sha256
from pathlib import Path
from typing import Any
from uuid import UUID

from pydantic import TypeAdapter, ValidationError

from plentar.core.errors import ReadingError
from plentar.formats.json_in import read_json
from plentar.formats.labels_csv import safe_cell

__all__ = [
    "FORMAT",
    "READING_COLUMNS",
    "SHELL_BOUNDS",
    "WEB_BOUNDS",
    "Bounds",
    "Bundle",
    "BundleWriter",
    "Manifest",
    "manifest_schema",
    "readings_csv",
]

FORMAT, VERSION = "plentar.shop", 1
MANIFEST = "manifest.json"
# Bit 0 of a zip entry's flags.
ENCRYPTED = 0x1
CHUNK = 1 << 16
# A plate of six strips is some ten kilobytes, a ledger less; a day of logging some four megabytes.
LONGEST_LINE, LARGEST_FILE = 4 << 20, 64 << 20
READING_COLUMNS = (
    "place", "unit", "serial", "call", "done_at", "point", "value", "unit_sign", "uncertainty", "calls_on", "meter",
    "technician", "struck", "meter_calibrated_on",
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Bounds:
    """How large an export file may be, unpacked too, and its manifest [bytes]; how far a file in it may unpack."""

    file_bytes: float = math.inf
    unpacked_bytes: float = math.inf
    ratio: float = math.inf
    manifest_bytes: int = 64 << 20


# Through the web a stranger may hold a lead's session: whatever is sent is read within a server's memory and time.
WEB_BOUNDS = Bounds(file_bytes=64 << 20, unpacked_bytes=1 << 30, ratio=200.0, manifest_bytes=1 << 20)
SHELL_BOUNDS = Bounds()
# A few kilobytes of zeros are nothing: the ratio counts from here on.
RATIO_FROM_BYTES = 1 << 20
# What reading a damaged or hostile file can raise.
UNREADABLE = (zipfile.BadZipFile, zlib.error, EOFError, OSError, RuntimeError, NotImplementedError, ValueError)


@dataclass(frozen=True, slots=True, kw_only=True)
class BundleFile:
    """One file of the bundle: its SHA-256, how many rows it has."""

    sha256: str
    rows: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Manifest:
    """What the bundle is and what is in it; `files` by name."""

    format: str
    version: int
    shop: str
    made_at: str
    files: Mapping[str, BundleFile] = field(default_factory=dict)


_MANIFEST = TypeAdapter(Manifest)


def manifest_schema() -> dict[str, Any]:
    """Return the JSON Schema of a bundle's manifest."""
    return _MANIFEST.json_schema()


class BundleWriter:
    """Writes a bundle; used as a context, its end writes the manifest."""

    def __init__(self, path: Path, *, shop: str, made_at: str) -> None:
        self._zip = zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED, compresslevel=6)
        self._shop, self._made_at = shop, made_at
        self._files: dict[str, BundleFile] = {}

    def __enter__(self) -> "BundleWriter":
        return self

    def __exit__(self, kind: object, *_: object) -> None:
        if kind is None:
            manifest = Manifest(
                format=FORMAT, version=VERSION, shop=self._shop, made_at=self._made_at, files=self._files
            )
            self._zip.writestr(MANIFEST, _MANIFEST.dump_json(manifest, indent=2))
        self._zip.close()

    def rows(self, name: str, rows: Iterable[Mapping[str, Any]]) -> int:
        """Write a file of JSON lines; return how many."""
        return self._stream(name, (json.dumps(row, default=_plain, ensure_ascii=False) + "\n" for row in rows))

    def lines(self, name: str, lines: Iterable[str]) -> int:
        """Write a file of lines as they are; return how many."""
        return self._stream(name, lines)

    def _stream(self, name: str, lines: Iterable[str]) -> int:
        digest, count = sha256(), 0
        with self._zip.open(name, "w", force_zip64=True) as out:
            for line in lines:
                data = line.encode()
                digest.update(data)
                out.write(data)
                count += 1
        self._files[name] = BundleFile(sha256=digest.hexdigest(), rows=count)
        return count

    def file(self, name: str, data: bytes) -> None:
        """Write one file of bytes."""
        self._zip.writestr(name, data, zipfile.ZIP_STORED if name.endswith(".jpg") else zipfile.ZIP_DEFLATED)
        self._files[name] = BundleFile(sha256=sha256(data).hexdigest(), rows=1)


def _plain(value: object) -> object:
    if isinstance(value, UUID):
        return str(value)
    if hasattr(value, "isoformat"):
        return value.isoformat()
    raise TypeError(f"not for a bundle: {type(value).__name__}")


class Bundle:
    """A bundle that was read and found whole: every file there, every checksum right, before anything of it is used.

    Raises:
        ReadingError: It is no bundle, cut short, changed since it was written, or a later program's.
    """

    def __init__(
        self, path: Path, progress: Callable[[str], None] = lambda _: None, bounds: Bounds = SHELL_BOUNDS
    ) -> None:
        try:
            if path.stat().st_size > bounds.file_bytes:
                words = f"the file is larger than {bounds.file_bytes / (1 << 20):.0f} MB: import it by `plentar import`"
                raise ReadingError(words, field="file")
            self._zip = zipfile.ZipFile(path)
        except ReadingError:
            raise
        except UNREADABLE as error:
            words = "that is not an export file, or it was cut short: the end of the file is missing"
            raise ReadingError(words, field="file") from error
        self._check_bounds(bounds)
        self.manifest = self._read_manifest(bounds)
        self._check(progress)

    def _check_bounds(self, bounds: Bounds) -> None:
        """See what the file says of itself, before anything in it is unpacked; no more than that is read later."""
        whole, names = 0, set()
        for info in self._zip.infolist():
            whole += info.file_size
            if info.filename in names:
                raise ReadingError(f"{info.filename[:80]} is in it twice", field="file")
            names.add(info.filename)
            if info.flag_bits & ENCRYPTED or info.compress_type not in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED):
                words = f"{info.filename[:80]} is encrypted or packed in a way no export is"
                raise ReadingError(words, field="file")
            ratio = info.file_size / max(info.compress_size, 1)
            if info.file_size > RATIO_FROM_BYTES and ratio > bounds.ratio:
                words = f"{info.filename[:80]} unpacks to {ratio:.0f} times its size: no export does"
                raise ReadingError(words, field="file")
            if info.filename == MANIFEST and info.file_size > bounds.manifest_bytes:
                words = f"its manifest is larger than {bounds.manifest_bytes >> 20} MB: import it by `plentar import`"
                raise ReadingError(words, field="file")
        if whole > bounds.unpacked_bytes:
            words = f"it unpacks to more than {bounds.unpacked_bytes / (1 << 30):g} GB: import it by `plentar import`"
            raise ReadingError(words, field="file")

    def _read_manifest(self, bounds: Bounds) -> Manifest:
        try:
            found = read_json(self._zip.read(MANIFEST), field="file", most_bytes=bounds.manifest_bytes)
        except (KeyError, *UNREADABLE) as error:
            words = "the export file has no manifest: it was cut short, or is something else"
            raise ReadingError(words, field="file") from error
        if not isinstance(found, dict) or found.get("format") != FORMAT:
            raise ReadingError(f"that is not a shop's export file: expected the format {FORMAT}", field="file")
        version = found.get("version")
        if not isinstance(version, int) or version > VERSION:
            words = f"the export file is of version {version}, this program reads up to {VERSION}: update it first"
            raise ReadingError(words, field="file")
        try:
            return _MANIFEST.validate_python(found)
        except ValidationError as error:
            raise ReadingError("the manifest is damaged", field="file") from error

    def _check(self, progress: Callable[[str], None]) -> None:
        names = set(self._zip.namelist()) - {MANIFEST}
        missing = sorted(set(self.manifest.files) - names)
        if missing:
            raise ReadingError(f"the export file was cut short: {missing[0]} is missing", field="file")
        extra = sorted(names - set(self.manifest.files))
        if extra:
            raise ReadingError(f"{extra[0]} was put into the export file since it was written", field="file")
        for name, entry in self.manifest.files.items():
            digest = sha256()
            try:
                with self._zip.open(name) as file:
                    while data := file.read(CHUNK):
                        digest.update(data)
            except UNREADABLE as error:
                raise ReadingError(f"{name} cannot be read: the export file is damaged", field="file") from error
            if digest.hexdigest() != entry.sha256:
                hint = "; a spreadsheet that saves a CSV writes it anew" if name.endswith(".csv") else ""
                raise ReadingError(f"{name} is not as it was written: nothing was taken in{hint}", field="file")
            if entry.rows > 1:
                progress(f"checked {name}, {entry.rows} rows")

    def rows(self, name: str) -> Iterator[dict[str, Any]]:
        """Give the rows of a file of JSON lines, each line a row; none where the bundle has no such file.

        Raises:
            ReadingError: A line is no object.
        """
        if name not in self.manifest.files:
            return
        with self._zip.open(name) as file:
            whole = io.TextIOWrapper(file, "utf-8")
            # A line without an end would be read into memory whole.
            for number, line in enumerate(iter(lambda: whole.readline(LONGEST_LINE + 1), ""), start=1):
                try:
                    row = _row(line) if len(line) <= LONGEST_LINE else None
                except (ValueError, RecursionError):
                    row = None
                if not isinstance(row, dict):
                    raise ReadingError(f"{name}, line {number}: expected an object", field="file")
                yield row

    def names(self, folder: str) -> list[str]:
        """Return the files of a folder."""
        return [name for name in self.manifest.files if name.startswith(folder)]

    def read(self, name: str) -> bytes:
        """Return one file of bytes.

        Raises:
            ReadingError: It is larger than any picture or log of a shop.
        """
        if self._zip.getinfo(name).file_size > LARGEST_FILE:
            raise ReadingError(f"{name} is larger than anything a shop keeps", field="file")
        return self._zip.read(name)


def _row(line: str) -> object:
    """Return what a line says; how deep it goes is for its field's own check to tell.

    Raises:
        ValueError: It is no JSON, or holds a number or a character that no export writes.
    """
    if "\\u0000" in line:
        raise ValueError("a character of code 0")
    return json.loads(line, parse_constant=_no_number)


def _no_number(name: str) -> float:
    raise ValueError(f"{name} is no number")


def readings_csv(rows: Iterable[Mapping[str, Any]]) -> Iterator[str]:
    """Give all readings as tidy CSV, a line a reading, header first; no cell that a spreadsheet takes for a formula."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(READING_COLUMNS)
    for row in rows:
        if out.tell() > CHUNK:
            yield out.getvalue()
            out.seek(0)
            out.truncate()
        writer.writerow([_cell(row.get(name)) for name in READING_COLUMNS])
    yield out.getvalue()


def _cell(value: object) -> str:
    if value is None:
        return ""
    return f"{value:.10g}" if isinstance(value, float) else safe_cell(str(value))
