"""What was learnt of one way of preparing a puck, wherever it was used."""

from __future__ import annotations

from collections.abc import Iterator

from sqlalchemy.orm import Session

from vapocline.core.base.document import Answer
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
    CoffeeRow,
    GrinderRow,
    MachineRow,
    PreparationRow,
    ShotRow,
)

MOST_USED = 20  # coffees by grinder and machine, the newest


class PreparationUsed(Answer):
    """A coffee by a grinder on a machine whose pucks were prepared in this way: its shots that
    count, how uneven they were, % of what is assumed, None where nothing was learnt, and what can
    be said beside the other ways there."""

    of: TogetherLine
    uneven_pct: Estimate | None
    apart: list[str]


def read_preparation_used(context: Context, preparation_id: int) -> list[PreparationUsed]:
    """Where a preparation was used, the newest first. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        shelf.read_one(session, PreparationRow, preparation_id)
        names = names_now(session, "preparation")
        pulled = read_pulled_together(
            session, ShotRow.preparation_id == preparation_id, limit=MOST_USED
        )
        lines = [TogetherLine.model_validate(dict(one)) for one in pulled]
        return list(_used(session, lines, variant_key(preparation_id), names))


def _used(
    session: Session, lines: list[TogetherLine], key: str, names: dict[str, str]
) -> Iterator[PreparationUsed]:
    for line in lines:
        learning = _learning_in_force(session, line)
        if learning is None:
            yield PreparationUsed(of=line, uneven_pct=None, apart=[])
            continue
        found = variants_in_units(learning, "preparation", names, only=key)
        uneven = next((one.pct for one in found.each), None)
        yield PreparationUsed(of=line, uneven_pct=uneven, apart=found.apart)


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
