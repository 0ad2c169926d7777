"""Tastings made through the use cases, for tests of what rests on them."""

from __future__ import annotations

from collections.abc import Sequence

from vapocline.core.taste.sessions import SessionSetup
from vapocline.core.taste.spreads import LEAST_REPEATS
from vapocline.core.taste.tasting import DEFAULT_LINES, Line
from vapocline.desk.context import Context
from vapocline.desk.taste.seat import OwnSeat, ScoreSaid, read_seat, say_score
from vapocline.desk.taste.sessions import Closing, close_session, start_session


def repeat_a_drink(
    context: Context,
    tasters: Sequence[str],
    shot_id: int,
    lines: Sequence[Line] = DEFAULT_LINES,
    times: int = LEAST_REPEATS,
) -> None:
    """Everybody scores one drink twice alike, as often as it takes to be known."""
    for number in range(times):
        setup = {"shot_ids": (shot_id,), "tasters": tasters, "lines": lines, "duplicate": True}
        table = start_session(context, SessionSetup.model_validate(setup))
        for place in table.seats:
            seat = OwnSeat(place.taster_id, place.secret)
            for cup in read_seat(context, table.join_code, seat).cups:
                for line in lines:
                    said = {
                        "cup": cup.number,
                        "warmth": "hot",
                        "line": line,
                        "points": 4 + number % 4,
                    }
                    say_score(context, table.join_code, seat, ScoreSaid.model_validate(said))
        close_session(context, table.id, Closing())
