"""Which shot of a coffee by a grinder on a machine would teach most."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from sqlalchemy.orm import Session

from vapocline.core.base.problems import Refused
from vapocline.core.coffee.grinder import grind_um_at, setting_on
from vapocline.core.formats.registry import PLAN
from vapocline.core.learn.next_shot import CandidateShot, NextShot, most_taught
from vapocline.core.machine.check import machine_problems
from vapocline.core.plan.styles.catalogue import STYLES
from vapocline.core.plan.styles.fit import unsolved
from vapocline.core.puck.knowledge import Knowledge
from vapocline.core.puck.plan import Plan
from vapocline.desk.bench.known import known_together
from vapocline.desk.context import Context
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.learn import Together, read_to_learn_from
from vapocline.store.tables import CoffeeRow, GrinderRow, MachineRow, ShotRow

FINER = 0.06  # of the size
MOST_STYLES = 4


def read_next_shot(context: Context, together: Together) -> NextShot | None:
    """What to pull next; None before any shot, or where nothing would narrow forecasts by much.
    Raises NotFoundError."""
    with transaction(context.sessions) as session:
        grinder = shelf.read_one(session, GrinderRow, together.grinder_id)
        coffee = shelf.read_one(session, CoffeeRow, together.coffee_id)
        machine = shelf.read_one(session, MachineRow, together.machine_id)
        _number, known = known_together(session, coffee, grinder, machine, {})
        newest = _newest(session, together)
        if newest is None:
            return None
        known = known or Knowledge()
        candidates = list(_candidates(newest, grinder, measured=known.strengths > 0))
    return most_taught(candidates, known)


def _newest(session: Session, together: Together) -> ShotRow | None:
    rows: Sequence[ShotRow] = read_to_learn_from(session, together, limit=1)
    return rows[-1] if rows else None


def _candidates(row: ShotRow, grinder: GrinderRow, *, measured: bool) -> Iterator[CandidateShot]:
    """The same again, with its strength measured, finer, coarser, and of other styles that the
    machine takes as they are. Where strengths are `measured` here, they will be."""
    plan = PLAN.read(row.plan)
    named = f"{plan.profile.name} as last time"
    if not measured:
        yield CandidateShot(f"{named}, with its strength measured", plan, strength=True)
    yield CandidateShot(named, plan, measured)
    for by, word in ((-FINER, "finer"), (FINER, "coarser")):
        size = plan.setup.grind_um * (1 + by)
        try:
            setting = setting_on(grinder, size)
            size = grind_um_at(grinder.settings, grinder.grind_um, setting)
        except Refused:
            continue
        ground = plan.model_copy(update={"setup": plan.setup.model_copy(update={"grind_um": size})})
        yield CandidateShot(f"{plan.profile.name}, {word}, at {setting:g}", ground, measured)
    yield from _styles(row, plan, measured=measured)


def _styles(row: ShotRow, plan: Plan, *, measured: bool) -> Iterator[CandidateShot]:
    """Other styles, for the same drink."""
    found = 0
    for style in STYLES:
        ratio = row.target_yield_g / plan.setup.dose_g
        if style.name == plan.profile.name or not style.ratios[0] <= ratio <= style.ratios[1]:
            continue
        other = unsolved(style, plan.setup, row.target_yield_g)
        if machine_problems(other.profile, plan.setup.machine):
            continue
        yield CandidateShot(f"the style {style.name}", other, measured)
        found += 1
        if found == MOST_STYLES:
            return
