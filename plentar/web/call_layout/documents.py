"""What a call's paper shows, to whoever may read it: the signed-in, or whoever holds a link to it."""

from base64 import b64encode
from pathlib import Path
from uuid import UUID

from babel.numbers import format_currency
from flask import Response, current_app, g, render_template, url_for

from plentar.core.evidence.signs import sign_of
from plentar.screen.call import CallScreen
from plentar.screen.drawings.signature import signature_path
from plentar.screen.paper import (
    Bill,
    bill_of,
    corrections_of,
    done_for_customer,
    is_of_log,
    live_only,
    passages_of,
    photos_apart,
    told_to_customer,
)
from plentar.store import calls, events, shops
from plentar.store.models import Call, Shop
from plentar.web.serving.access import release
from plentar.words.figures import PLAIN, choose

__all__ = ["attached", "context_of_paper", "download", "laid_out", "pdf_of"]


def context_of_paper(screen: CallScreen[Call], *, reader: str, embed: bool) -> dict[str, object]:
    """Return what the paper shows; pictures as links, or inside the document where it travels alone.

    Args:
        screen: The call.
        reader: `customer` for plain words, `office` for all of it.
        embed: Put pictures into the document.
    """
    # Whoever made it, it reads the same to whoever gets it.
    choose(PLAIN)
    call = screen.call
    earlier = calls.earlier_calls(g.db, shop_id=call.shop_id, unit_id=call.unit_id, before=call.scheduled_at, most=3)

    def photo_url(photo_id: str) -> str:
        if not embed:
            return url_for("call.photo", call_id=call.id, photo_id=photo_id)
        row = events.get_photo(g.db, shop_id=call.shop_id, call_id=call.id, photo_id=UUID(photo_id))
        return "data:image/jpeg;base64," + b64encode(row.image if row is not None else b"").decode()

    shop, passages = call.technician.shop, passages_of(screen)
    return {
        "screen": screen,
        "shop": shop,
        "earlier": earlier,
        "comparisons": screen.visit.comparisons,
        "reader": reader,
        "photo_url": photo_url,
        "sign_words": lambda kind: sign.words if (sign := sign_of(kind)) else kind.replace("-", " "),
        "passages": passages,
        "told_to_customer": told_to_customer(screen),
        "done_for_customer": done_for_customer(screen),
        "live_only": live_only(screen),
        "is_of_log": is_of_log,
        "photos_apart": photos_apart(screen, passages if reader == "customer" else ()),
        "corrections": corrections_of(screen, shop.name),
        "meters": _meters(screen),
        "bill": _bill(screen, shop),
        "signature_path": signature_path,
    }


def _meters(screen: CallScreen[Call]) -> list[tuple[str, str]]:
    """Return the meters the call's readings were read with, each with the day it had been calibrated, or nothing."""
    names = shops.meter_names(g.db, shop_id=screen.call.shop_id)
    read_with = dict.fromkeys((kept.meter, kept.calibrated_on) for kept in screen.readings.all)
    return [(names[meter], day) for meter, day in read_with if meter in names]


def _bill(screen: CallScreen[Call], shop: Shop) -> Bill | None:
    def spoken(amount: float) -> str:
        return format_currency(amount, shop.currency, locale="en_US")

    return bill_of(screen.visit.record, tax_percent=shop.tax_percent, spoken=spoken)


def pdf_of(paper: dict[str, object]) -> bytes:
    """Return a paper as PDF."""
    return laid_out(render_template("call/report_pdf.html", **paper))


def laid_out(html: str) -> bytes:
    """Return a document as PDF, with no transaction open meanwhile."""
    # Loading the PDF maker takes a second that no other page should pay.
    from plentar.formats.pdf import html_to_pdf

    release()
    return html_to_pdf(html, static=Path(str(current_app.static_folder)))


def download(body: bytes | str, mimetype: str, screen: CallScreen[Call], ending: str) -> Response:
    """Return a file of a call, named by its day and place."""
    place = "".join(c if c.isalnum() and c.isascii() else "-" for c in screen.call.unit.place.name.lower()).strip("-")
    name = f"{screen.call.scheduled_at:%Y-%m-%d}-{place or 'call'}{ending}"
    return attached(body, mimetype, name)


def attached(body: bytes | str, mimetype: str, name: str) -> Response:
    """Return a file to keep under a name."""
    return Response(body, mimetype=mimetype, headers={"Content-Disposition": f'attachment; filename="{name}"'})
