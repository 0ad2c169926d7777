"""A taster's link, as a picture that a phone's camera reads."""

from __future__ import annotations

import io

import segno

from vapocline.core.base.problems import NotFoundError
from vapocline.desk.context import Context
from vapocline.store import taste
from vapocline.store.database import transaction


def draw_seat_link(context: Context, session_id: int, taster_id: int, address: str) -> bytes:
    """The link to a taster's seat at an `address` as a QR code, SVG. Raises NotFoundError.

    The secret stands behind the #: a browser keeps that part to itself.
    """
    with transaction(context.sessions) as session:
        row = taste.read_session(session, session_id)
        seat = next((one for one in row.seats if one.taster_id == taster_id), None)
        if seat is None:
            raise NotFoundError(f"Nobody of that number sits at this tasting: {taster_id}.")
        link = f"{address}/table/{row.join_code}/{taster_id}#{seat.secret}"
    drawn = io.BytesIO()
    segno.make(link, error="m", micro=False).save(
        drawn, kind="svg", border=2, light="#fff", dark="#000", omitsize=True, title="Link"
    )
    return drawn.getvalue()
