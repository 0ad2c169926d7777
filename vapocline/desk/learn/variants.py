"""What was learnt of one way of preparing a puck, or of one basket, wherever it was used."""

from __future__ import annotations

from sqlalchemy.orm import Session

from vapocline.core.base.document import Answer
from vapocline.core.learn.fit import VariantOf
from vapocline.core.learn.in_units import Estimate, variants_in_units
from vapocline.core.learn.learning import Learning
from vapocline.desk.bench.known import learning_of, variant_key
from vapocline.desk.context import Context
from vapocline.desk.learn.taught import TogetherLine, names_now
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.knowledge import basis_of, read_in_force, read_pulled_together
from vapocline.store.learn import Together
from vapocline.store.tables import (
    BasketRow,
    CoffeeRow,
    GrinderRow,
    MachineRow,
    PreparationRow,
    ShotRow,
)

MOST_USED = 20  # coffees by grinder and machine, the newest


class VariantUsed(Answer):
    """A coffee by a grinder on a machine with this preparation or basket: its shots that count, how
    uneven its pucks were or how easily they let water through, % of what is assumed, None where
    nothing was learnt, and what can be said beside the others there."""

    of: TogetherLine
    pct: Estimate | None
    comparisons: list[str]


def read_variant_used(context: Context, of: VariantOf, number: int) -> list[VariantUsed]:
    """Where a preparation or a basket was used, the newest first. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        if of == "preparation":
            shelf.read_one(session, PreparationRow, number)
        else:
            shelf.read_one(session, BasketRow, number)
        column = ShotRow.preparation_id if of == "preparation" else ShotRow.basket_id
        pulled = read_pulled_together(session, column == number, limit=MOST_USED)
        lines = [TogetherLine.model_validate(dict(one)) for one in pulled]
        names = names_now(session, of)
        return [_used(session, line, of, variant_key(number), names) for line in lines]


def _used(
    session: Session, line: TogetherLine, of: VariantOf, key: str, names: dict[str, str]
) -> VariantUsed:
    learning = _learning_in_force(session, line)
    if learning is None:
        return VariantUsed(of=line, pct=None, comparisons=[])
    found = variants_in_units(learning, of, names, only=key)
    pct = found.variants[0].pct if found.variants else None
    return VariantUsed(of=line, pct=pct, comparisons=found.comparisons)


def _learning_in_force(session: Session, line: TogetherLine) -> Learning | None:
    """What forecasts take of the three, where anything was learnt of them."""
    together = Together(line.coffee_id, line.grinder_id, line.machine_id)
    basis = basis_of(
        shelf.read_one(session, CoffeeRow, line.coffee_id),
        shelf.read_one(session, GrinderRow, line.grinder_id),
        shelf.read_one(session, MachineRow, line.machine_id),
    )
    row = read_in_force(session, together, basis).row
    return None if row is None else learning_of(session, row.id, row.created_at)
