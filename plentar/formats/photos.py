"""Photographs as they are kept: turned upright, shrunk, encoded anew, with nothing of the camera's own data left."""

from io import BytesIO

from PIL import Image, ImageOps, UnidentifiedImageError

from plentar.core.errors import ReadingError

__all__ = ["MAX_PIXELS", "reencode"]

MAX_SIDE, THUMBNAIL_SIDE = 1600, 240
MAX_PIXELS = 60_000_000
# A phone's multi-picture file opens as JPEG.
FORMATS = ("JPEG", "PNG", "WEBP")


def reencode(data: bytes) -> tuple[bytes, bytes]:
    """Return the picture and a thumbnail of it as JPEG.

    Raises:
        ReadingError: It is no picture this program reads, or too large a one.
    """
    try:
        with Image.open(BytesIO(data), formats=FORMATS) as opened:
            if opened.width * opened.height > MAX_PIXELS:
                raise ReadingError("that picture has more pixels than any phone takes", field="photo")
            upright = ImageOps.exif_transpose(opened).convert("RGB")
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise ReadingError("that is not a picture this page can read: take a JPEG or PNG", field="photo") from error
    return _jpeg(upright, MAX_SIDE, 82), _jpeg(upright, THUMBNAIL_SIDE, 75)


def _jpeg(picture: Image.Image, side: int, quality: int) -> bytes:
    """Encode pixels only: a new image carries no metadata of the old one."""
    copy = Image.new("RGB", picture.size)
    copy.paste(picture)
    copy.thumbnail((side, side))
    out = BytesIO()
    copy.save(out, "JPEG", quality=quality, optimize=True)
    return out.getvalue()
