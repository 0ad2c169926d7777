"""The serving sheet of a tasting, for the person who pours."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from vapocline.core.base.document import Answer
from vapocline.desk.context import Context
from vapocline.desk.taste.table import cups_poured, names_of, pours_of, shots_on
from vapocline.store import taste
from vapocline.store.database import transaction
from vapocline.store.tables import ServingRow


class ServingCup(Answer):
    """A cup to pour: its number and code, from which shot, how much, why it does not count."""

    number: int
    code: str | None
    shot_id: int
    name: str
    pour_g: float | None
    withdrawn: str | None


class ServingRound(Answer):
    """What a taster is served in a round, in order."""

    round: int
    cups: list[ServingCup]


class ServingTaster(Answer):
    """Every round of a taster."""

    name: str
    rounds: list[ServingRound]


class ServingSheet(Answer):
    """For the person who pours: the only page that says which code is which shot."""

    session_id: int
    cups: list[ServingCup]
    tasters: list[ServingTaster]


def read_serving_sheet(context: Context, session_id: int) -> ServingSheet:
    """What to pour into which cup, and who gets it in what order. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        row = taste.read_session(session, session_id)
        on_table = shots_on(session, row)
        names, pours = names_of(on_table), pours_of(on_table, cups_poured(row))
        cups = {
            cup.id: ServingCup(
                number=cup.number,
                code=cup.code,
                shot_id=cup.shot_id,
                name=names[cup.shot_id],
                pour_g=pours[cup.shot_id],
                withdrawn=cup.withdrawn,
            )
            for cup in row.cups
        }
        servings = taste.read_servings(session, session_id)
        tasters = [
            ServingTaster(
                name=seat.taster.name,
                rounds=_rounds([s for s in servings if s.taster_id == seat.taster_id], cups),
            )
            for seat in row.seats
        ]
        return ServingSheet(session_id=row.id, cups=list(cups.values()), tasters=tasters)


def _rounds(own: Sequence[ServingRow], cups: Mapping[int, ServingCup]) -> list[ServingRound]:
    rounds: dict[int, list[ServingCup]] = {}
    for one in own:
        rounds.setdefault(one.round, []).append(cups[one.cup_id])
    return [ServingRound(round=number, cups=served) for number, served in rounds.items()]
