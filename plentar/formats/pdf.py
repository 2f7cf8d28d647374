"""Reports as PDF, from the same HTML that the page shows."""

from pathlib import Path

from weasyprint import CSS, HTML
from weasyprint.text.fonts import FontConfiguration
from weasyprint.urls import URLFetcher, URLFetcherResponse

__all__ = ["html_to_pdf"]


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


def html_to_pdf(html: str, *, static: Path) -> bytes:
    """Return the PDF of a report.

    Args:
        html: The whole document; pictures as data URLs.
        static: The folder with `dist/report.css` and the fonts it names.
    """
    fetcher = _NoNetwork(static)
    fonts = FontConfiguration()
    sheet = CSS(filename=str(static / "dist/report.css"), font_config=fonts, url_fetcher=fetcher)
    document = HTML(string=html, base_url=static.as_uri() + "/", url_fetcher=fetcher)
    pdf: bytes = document.write_pdf(stylesheets=[sheet], font_config=fonts)
    return pdf
