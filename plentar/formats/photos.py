"""Photographs as they are kept: turned upright, shrunk, encoded anew, with nothing of the camera's own data left.

A picture's size in memory is known from its header, before a pixel is decoded. Pictures are decoded one at a time, so
that however many are sent at once, the memory of one is all they take.
"""

from io import BytesIO
from typing import IO

from PIL import Image, ImageOps, UnidentifiedImageError
from PIL.JpegImagePlugin import JpegImageFile

from plentar.core.errors import PlentarError, ReadingError
from plentar.formats.alone import alone

__all__ = ["is_kept_picture", "reencode"]

MAX_SIDE, THUMBNAIL_SIDE = 1600, 240
# The largest a phone's camera makes. Sent in one scan it is decoded row by row at a fraction of its size.
MOST_JPEG_PIXELS = 60_000_000
# In several scans a JPEG's coefficients are all held at once, 6 bytes a pixel: 96 MB at most.
MOST_SCANNED_PIXELS = 16_000_000
# A PNG is decoded whole, 4 bytes a pixel, and copied once: 96 MB at most; a WebP is held three times. A phone's screen
# has 4 million pixels.
MOST_PNG_PIXELS, MOST_WEBP_PIXELS = 12_000_000, 6_000_000
# A phone's multi-picture file opens as JPEG.
FORMATS = ("JPEG", "PNG", "WEBP")
# One takes a third of a second; whoever is tenth has waited long enough to be told.
WAIT_SECONDS = 10.0
# The start of a scan, and what in a JPEG's header comes without a length.
SOS, BARE = 0xDA, {0x01, *range(0xD0, 0xDA)}


def reencode(file: IO[bytes]) -> tuple[bytes, bytes]:
    """Return the picture and a thumbnail of it as JPEG.

    Raises:
        ReadingError: It is no picture this program reads, or too large a one.
        BusyError: Others were being decoded for too long.
    """
    with alone("pictures", wait_seconds=WAIT_SECONDS, field="photo"):
        try:
            with Image.open(file, formats=FORMATS) as opened:
                _check_size(opened, file)
                longest = max(opened.size)
                wanted = tuple(max(1, side * MAX_SIDE // longest) for side in opened.size)
                opened.draft("RGB", wanted)  # type: ignore[arg-type]
                # Shrunk before it is turned: turning copies.
                picture = opened.convert("RGB")
                picture.thumbnail((MAX_SIDE, MAX_SIDE))
                orientation = opened.getexif()
            picture.getexif()[ORIENTATION] = orientation.get(ORIENTATION, 1)
            upright = ImageOps.exif_transpose(picture)
        except PlentarError:
            raise
        except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
            raise ReadingError("this picture can't be read. Use a JPEG or PNG", field="photo") from error
        return _jpeg(upright, MAX_SIDE, 82), _jpeg(upright, THUMBNAIL_SIDE, 75)


def is_kept_picture(data: bytes) -> bool:
    """Tell whether bytes are a JPEG as `reencode` makes them: of its size, and every pixel of it can be read."""
    try:
        with Image.open(BytesIO(data), formats=("JPEG",)) as opened:
            if max(opened.size) > MAX_SIDE:
                return False
            opened.load()
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        return False
    return True


ORIENTATION = 0x0112


def _check_size(opened: Image.Image, file: IO[bytes]) -> None:
    pixels, most = opened.width * opened.height, _most_pixels(opened, file)
    if pixels > most:
        words = f"that picture has {pixels / 1e6:.0f} million pixels, at most {most / 1e6:.0f} of its kind are taken"
        raise ReadingError(f"{words}: send it smaller, as a JPEG", field="photo")


def _most_pixels(opened: Image.Image, file: IO[bytes]) -> int:
    if not isinstance(opened, JpegImageFile):
        return MOST_PNG_PIXELS if opened.format == "PNG" else MOST_WEBP_PIXELS
    is_progressive = bool(opened.info.get("progressive"))
    return MOST_SCANNED_PIXELS if is_progressive or not _is_one_scan(opened, file) else MOST_JPEG_PIXELS


def _is_one_scan(opened: JpegImageFile, file: IO[bytes]) -> bool:
    """Tell whether a JPEG's first scan holds all its colours: a decoder then needs no more than a few rows at once."""
    at = file.tell()
    try:
        file.seek(2)
        while True:
            byte = file.read(1)
            if not byte:
                return False
            if byte != b"\xff":
                continue
            marker = file.read(1)
            while marker == b"\xff":
                marker = file.read(1)
            if not marker or marker[0] == 0:
                continue
            if marker[0] in BARE:
                continue
            length = int.from_bytes(file.read(2), "big")
            if marker[0] == SOS:
                return file.read(1) == bytes([opened.layers])
            file.seek(max(0, length - 2), 1)
    finally:
        file.seek(at)


def _jpeg(picture: Image.Image, side: int, quality: int) -> bytes:
    """Encode pixels only: a new image carries no metadata of the old one."""
    copy = Image.new("RGB", picture.size)
    copy.paste(picture)
    copy.thumbnail((side, side))
    out = BytesIO()
    copy.save(out, "JPEG", quality=quality, optimize=True)
    return out.getvalue()
