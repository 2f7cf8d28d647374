"""The report as PDF against its own HTML, in one run: how many times longer the laying out takes.

    PLENTAR_BENCH_DATABASE_URL=postgresql://… python -m bench.report_pdf

Each PDF is of a document never seen before (a word in a comment differs), by the process that lays them out, warm.
"""

import statistics
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from unittest.mock import patch

from sqlalchemy import select

from bench.demo_data import demo_database
from plentar.demo import DEMO_EMAIL, DEMO_PASSWORD
from plentar.formats.pdf import html_to_pdf
from plentar.store.models import Call
from plentar.web import create_app
from plentar.web.serving.settings import Settings

ROUNDS = 25


def seconds(work: Callable[[], object]) -> float:
    """Time one call."""
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def main() -> None:
    """Print both medians for the calls with the most on them, and the ratio."""
    url, sessions = demo_database()
    app = create_app(Settings(database_url=url, secret_key="k" * 40, secure_cookies=False))
    app.config["WTF_CSRF_ENABLED"] = False
    client, static = app.test_client(), Path(str(app.static_folder))
    client.post("/sign-in", data={"email": DEMO_EMAIL, "password": DEMO_PASSWORD})
    with sessions() as db:
        longest = list(db.scalars(select(Call.id).order_by(Call.seq.desc()).limit(4)))
    whole: list[tuple[float, float]] = []
    for call in longest:
        with patch("plentar.formats.pdf.html_to_pdf", side_effect=lambda html, static: html.encode()):
            page = client.get(f"/calls/{call}/report.pdf").text
        html = statistics.median(seconds(partial(client.get, f"/calls/{call}/report")) for _ in range(ROUNDS))
        documents = [page.replace("</body>", f"<!-- {number} --></body>") for number in range(ROUNDS + 1)]
        html_to_pdf(documents.pop(), static=static)
        pdf = statistics.median(seconds(partial(html_to_pdf, it, static=static)) for it in documents)
        whole.append((html, pdf))
        print(
            f"{len(page):7d} characters: HTML {1000 * html:5.1f} ms, PDF {1000 * pdf:5.0f} ms, {pdf / html:5.1f} times"
        )
    html, pdf = (sum(each[side] for each in whole) for side in (0, 1))
    print(f"together: HTML {1000 * html:.1f} ms, PDF {1000 * pdf:.0f} ms, {pdf / html:.1f} times")


if __name__ == "__main__":
    main()
