"""Reports as PDF, from the same HTML that the page shows: made once for the same words, one at a time."""

from functools import lru_cache
from hashlib import sha256
from pathlib import Path
from threading import Lock

from weasyprint import CSS, HTML
from weasyprint.text.fonts import FontConfiguration
from weasyprint.urls import URLFetcher, URLFetcherResponse

from plentar.core.errors import BusyError
from plentar.core.held import Held

__all__ = ["html_to_pdf"]

# A day's reports of a process: some 25 KB each, more with photos.
_made = Held(8, size=len)
_making = Lock()
# One takes half a second: whoever would wait longer is told to come back.
WAIT_SECONDS = 15.0


class _NoNetwork(URLFetcher):  # type: ignore[misc]
    """Lets a document load what lies in one folder, and nothing else."""

    def __init__(self, folder: Path) -> None:
        super().__init__()
        self._folder = folder.resolve()

    def fetch(self, url: str, headers: object = None) -> URLFetcherResponse:
        if url.startswith("data:"):
            return super().fetch(url, headers)
        path = Path(url.removeprefix("file://")).resolve()
        if not url.startswith("file://") or self._folder not in path.parents:
            raise ValueError(f"a report loads only its own fonts and pictures, not {url[:60]}")
        return super().fetch(url, headers)


@lru_cache(maxsize=2)
def _dressing(static: Path) -> tuple[CSS, FontConfiguration, _NoNetwork]:
    """Return the report's style and its fonts, read once."""
    fetcher, fonts = _NoNetwork(static), FontConfiguration()
    return CSS(filename=str(static / "dist/report.css"), font_config=fonts, url_fetcher=fetcher), fonts, fetcher


def html_to_pdf(html: str, *, static: Path) -> bytes:
    """Return the PDF of a report; of the same report the same one.

    Args:
        html: The whole document; pictures as data URLs.
        static: The folder with `dist/report.css` and the fonts it names.

    Raises:
        BusyError: Others are being made for too long.
    """
    return _made.get(sha256(html.encode()).digest(), lambda: _make(html, static))


def _make(html: str, static: Path) -> bytes:
    if not _making.acquire(timeout=WAIT_SECONDS):
        raise BusyError("other reports are being made: ask for this one again in a moment")
    try:
        sheet, fonts, fetcher = _dressing(static)
        document = HTML(string=html, base_url=static.as_uri() + "/", url_fetcher=fetcher)
        pdf: bytes = document.write_pdf(stylesheets=[sheet], font_config=fonts)
        return pdf
    finally:
        _making.release()
