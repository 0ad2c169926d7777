"""What is known of what stands on a bench: from its own shots, or before them from others of the
house."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import cast

from sqlalchemy.orm import Session

from vapocline.core.coffee.coffee import Roast, known_process
from vapocline.core.formats.registry import LEARNT
from vapocline.core.learn.fit import Made
from vapocline.core.learn.house import LearntOf, Puck, house_knowledge
from vapocline.core.learn.learning import Learning
from vapocline.core.puck.knowledge import Knowledge
from vapocline.store.knowledge import (
    LearntElsewhere,
    basis_of,
    read_in_force,
    read_learnt_elsewhere,
)
from vapocline.store.learn import Together
from vapocline.store.tables import (
    BenchRow,
    CoffeeRow,
    GrinderRow,
    KnowledgeRow,
    MachineRow,
    ShotRow,
)

MOST_OTHERS = 30  # coffees by grinder and machine, the newest
KEPT = 300


def known_of(session: Session, row: BenchRow) -> tuple[int | None, Knowledge | None]:
    """What is known of a bench's coffee, grinder and machine, and the number of what its own shots
    taught."""
    if row.coffee is None or row.grinder is None:
        return None, None
    return known_together(session, row.coffee, row.grinder, row.machine, made_of_row(row))


def known_together(
    session: Session,
    coffee: CoffeeRow,
    grinder: GrinderRow,
    machine: MachineRow,
    made: Made,
) -> tuple[int | None, Knowledge | None]:
    """What is known of the three together, of pucks made in one way, and its number.

    Others of the house stand in only before any shot of theirs was learnt from: where a fit lost to
    forecasts without learning, those are used.
    """
    together = Together(coffee.id, grinder.id, machine.id)
    found = read_in_force(session, together, basis_of(coffee, grinder, machine))
    if found.row is not None:
        learning = learning_of(session, found.row.id, found.row.created_at)
        return found.row.id, learning.made(made)
    if found.own:
        return None, None
    return None, house_start(session, coffee, grinder, machine)


def made_of_row(row: BenchRow | ShotRow) -> Made:
    """How pucks of a bench, or a shot's, are made, as learning names it."""
    return {"preparation": variant_key(row.preparation_id), "basket": variant_key(row.basket_id)}


def variant_key(number: int | None) -> str:
    """How learning names something of the shelf, whatever it is called there."""
    return "" if number is None else str(number)


def house_start(
    session: Session, coffee: CoffeeRow, grinder: GrinderRow, machine: MachineRow
) -> Knowledge | None:
    """What the rest of the house says of the three, before their first shot."""
    together = Together(coffee.id, grinder.id, machine.id)
    others = read_learnt_elsewhere(session, together, limit=MOST_OTHERS)
    if not others:
        return None
    puck = Puck(*together, cast(Roast, coffee.roast), known_process(coffee.process))
    return _from_others(session, puck, others)


# Dragging asks many times for the same: kept by what it is of and what it rests on.
_starts: dict[tuple[Puck, tuple[LearntElsewhere, ...]], Knowledge | None] = {}
_learnings: dict[tuple[int, datetime], Learning] = {}


def _from_others(
    session: Session, puck: Puck, others: Sequence[LearntElsewhere]
) -> Knowledge | None:
    key = (puck, tuple(others))
    if key not in _starts:
        if len(_starts) >= KEPT:
            _starts.clear()
        taught = [
            LearntOf(
                Puck(
                    one.coffee_id,
                    one.grinder_id,
                    one.machine_id,
                    cast(Roast, one.roast),
                    known_process(one.process),
                ),
                learning_of(session, one.id, one.created_at),
            )
            for one in others
        ]
        _starts[key] = house_knowledge(puck, taught)
    return _starts[key]


def learning_of(session: Session, knowledge_id: int, created_at: datetime) -> Learning:
    """Something that was learnt, parsed once. It is stored again under its number at another
    time."""
    key = (knowledge_id, created_at)
    if key not in _learnings:
        if len(_learnings) >= KEPT:
            _learnings.clear()
        row = session.get_one(KnowledgeRow, knowledge_id)
        _learnings[key] = LEARNT.read(row.learnt)
    return _learnings[key]
