"""Lays reports out, in a process of its own: documents come on standard input, PDFs go out on standard output.

    python -m plentar.formats.pdf_maker STATIC_FOLDER MOST_MEGABYTES

Each way a length in eight bytes, then so much: a document in UTF-8; a PDF, or nothing where it could not be made, with
the reason on standard error. It ends when its input does, so with whoever started it, however that ends; and by itself
once it has grown, since whoever asks starts another.
"""

import gc
import logging
import os
import sys
from pathlib import Path
from typing import IO

from weasyprint import CSS, HTML
from weasyprint.text.fonts import FontConfiguration
from weasyprint.urls import URLFetcher, URLFetcherResponse

from plentar.formats.alone import give_back

__all__ = ["receive", "send"]


# Each leaves a megabyte or two in shreds: after so many a new process costs a tenth of what they took, and what all the
# makers of a server hold stays level instead of rising for minutes and falling.
MOST_DOCUMENTS = 12


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


def send(to: IO[bytes], body: bytes) -> None:
    """Write a length and so many bytes."""
    to.write(len(body).to_bytes(8, "big") + body)
    to.flush()


def receive(source: IO[bytes]) -> bytes:
    """Return what was sent.

    Raises:
        EOFError: The other end is gone.
    """
    head = source.read(8)
    size = int.from_bytes(head, "big")
    body = source.read(size) if len(head) == 8 else b""
    if len(head) < 8 or len(body) < size:
        raise EOFError("the other end is gone")
    return body


def _megabytes() -> float:
    """Return what this process holds in memory now; nothing where the system does not say."""
    try:
        pages = int(Path("/proc/self/statm").read_text().split()[1])
    except OSError:
        return 0.0
    return pages * os.sysconf("SC_PAGE_SIZE") / 1024**2


def main() -> None:
    """Read documents until there are no more."""
    static, most_megabytes = Path(sys.argv[1]), float(sys.argv[2])
    # Half of a layout's time went into looking, again and again, for garbage among boxes that are all still in use.
    gc.disable()
    # Style and fonts are read once.
    fetcher, fonts = _NoNetwork(static), FontConfiguration()
    sheet = CSS(filename=str(static / "dist/report.css"), font_config=fonts, url_fetcher=fetcher)
    for made in range(1, MOST_DOCUMENTS + 1):
        try:
            html = receive(sys.stdin.buffer).decode()
        except EOFError:
            return
        try:
            document = HTML(string=html, base_url=static.as_uri() + "/", url_fetcher=fetcher)
            pdf: bytes = document.write_pdf(stylesheets=[sheet], font_config=fonts)
        except Exception:
            logging.exception("no PDF of a document of %d characters", len(html))
            pdf = b""
        send(sys.stdout.buffer, pdf)
        # A document's boxes hold on to each other: between two documents there is time to let all of them go.
        document = None
        gc.collect()
        give_back()
        if _megabytes() > most_megabytes or made == MOST_DOCUMENTS:
            return


if __name__ == "__main__":
    main()
