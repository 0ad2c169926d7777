"""Learn from the shots of a coffee by a grinder on a machine, and keep what they taught."""

from __future__ import annotations

import hashlib
import json
import logging
from collections.abc import Sequence
from dataclasses import replace
from typing import Any, NamedTuple

from pydantic import ValidationError
from sqlalchemy.orm import Session

from vapocline.core.base.cancellation import Cancelled
from vapocline.core.base.problems import Refused
from vapocline.core.coffee.coffee import known_process
from vapocline.core.coffee.grinder import grind_um_at, mixed_with
from vapocline.core.formats.registry import CONDITIONS, LEARNT
from vapocline.core.learn.learning import KEPT_STRENGTHS, MOST_SHOTS, Learning, learn
from vapocline.core.learn.logged import LoggedShot
from vapocline.desk.bench.known import house_start, made_of_row
from vapocline.desk.context import Resources
from vapocline.desk.exchange.documents import document_of
from vapocline.desk.learn.news import tell
from vapocline.desk.shelf.machines import machine_in_mode, plain_machine
from vapocline.store import journal, shelf
from vapocline.store.database import transaction
from vapocline.store.knowledge import basis_of, newest_knowledge, write_knowledge
from vapocline.store.learn import Together, ask_to_learn_first, read_to_learn_from
from vapocline.store.tables import CoffeeRow, GrinderRow, MachineRow, ShotRow

log = logging.getLogger(__name__)
MOST_CAUGHT_UP = 50  # coffees by grinder and machine, the newest
RULES = 2  # raised when what is learnt from the same shots becomes another


def catch_up(resources: Resources) -> None:
    """Ask for learning from shots that were pulled before anything learnt. Raises
    UnavailableError."""
    with transaction(resources.sessions) as session:
        ask_to_learn_first(session, limit=MOST_CAUGHT_UP)


def learn_together(resources: Resources, together: Together) -> bool:
    """Learn from all shots pulled together; False where that was done or there are none.

    Nothing is locked meanwhile: another that learns the same stores it first, or finds it stored.
    Raises Cancelled, UnavailableError.
    """
    with transaction(resources.sessions) as session:
        now = _Assumed(
            shelf.read_one(session, CoffeeRow, together.coffee_id),
            shelf.read_one(session, GrinderRow, together.grinder_id),
            shelf.read_one(session, MachineRow, together.machine_id),
        )
        basis = basis_of(*now)
        rows = read_to_learn_from(session, together, limit=MOST_SHOTS, strengths=KEPT_STRENGTHS)
        inputs = _inputs(rows)
        newest = newest_knowledge(session, together)
        if not rows or (newest is not None and (newest.basis, newest.inputs) == (basis, inputs)):
            return False
        start = house_start(session, *now)
        tell(session, together, share=0.0)
    shots = _logged_shots(resources, now, rows)
    try:
        found = learn(shots, start, lambda share: _report(resources, together, share))
    except Cancelled:
        _report(resources, together, None)
        raise
    _keep(resources, together, basis, inputs, found)
    return True


def _logged_shots(resources: Resources, now: _Assumed, rows: Sequence[ShotRow]) -> list[LoggedShot]:
    """Stored shots as if pulled with what is assumed now, without those that cannot be read."""
    with transaction(resources.sessions) as session:
        logged = [(as_logged(session, row), row) for row in rows]
    return [now.applied_to(shot, row) for shot, row in logged if shot is not None]


def _report(resources: Resources, together: Together, share: float | None) -> None:
    """Say how far learning has come, or that it ended, to every page of the house."""
    with transaction(resources.sessions) as session:
        tell(session, together, share=share)


def _keep(
    resources: Resources, together: Together, basis: str, inputs: str, found: Learning
) -> None:
    """Store what was learnt, and say so to every page."""
    with transaction(resources.sessions) as session:
        write_knowledge(
            session,
            together,
            basis=basis,
            inputs=inputs,
            state="accepted" if found.used else "declined",
            learnt=LEARNT.write(found),
        )
        tell(session, together)
    log.info("learnt of %s from %s shots: %s", together, len(found.counted), found.because)


class _Assumed(NamedTuple):
    """What is assumed now of coffee, grinder and machine, whatever was when a shot was pulled."""

    coffee: CoffeeRow
    grinder: GrinderRow
    machine: MachineRow

    def applied_to(self, shot: LoggedShot, row: ShotRow) -> LoggedShot:
        """The shot as if it had been pulled with what is assumed now, so that what is learnt is
        against that."""
        coffee, grinder = self.coffee, self.grinder
        values: dict[str, Any] = {
            "machine": plain_machine(machine_in_mode(self.machine, shot.plan.setup.machine.mode)),
            "roast": coffee.roast,
            "process": known_process(coffee.process),
            "decaf": coffee.decaf,
            "density_g_ml": coffee.density_g_ml,
            "fines_pct": grinder.fines_pct,
        }
        if row.grind_setting is not None:
            values["grind_um"] = self._ground(row, row.grind_setting)
        setup = shot.plan.setup.model_copy(update=values)
        plan = shot.plan.model_copy(update={"setup": setup})
        made = made_of_row(row)
        return replace(shot, plan=plan, preparation=made["preparation"], basket=made["basket"])

    def _ground(self, row: ShotRow, setting: float) -> float:
        """The size of a shot's dose, mixed with what was in the grinder before, µm."""
        points = self.grinder.settings, self.grinder.grind_um
        size, before = (
            grind_um_at(*points, setting),
            CONDITIONS.read(row.conditions).retained_grounds,
        )
        if before is None:
            return size
        inside = grind_um_at(*points, before.grind_setting)
        return mixed_with(size, inside, before.retention_g, row.dose_g).grind_um


def _inputs(rows: Sequence[ShotRow]) -> str:
    """What the result depends on, short."""
    said: list[object] = [
        [row.id, row.started_at.isoformat(), row.yield_g, row.tds_pct, row.shot_time_s]
        for row in rows
    ]
    # Of one basket and no named preparation what is learnt is what it was before those were known.
    made = [(row.preparation_id, row.basket_id) for row in rows]
    if len(set(made)) > 1 or any(preparation for preparation, _basket in made):
        said.append(made)
    return hashlib.sha256(json.dumps([RULES, said]).encode()).hexdigest()


# Reading a curve takes as long as learning from it: what was read is kept.
_logged: dict[tuple[int, str], LoggedShot | None] = {}
MOST_KEPT = 200


def as_logged(session: Session, row: ShotRow) -> LoggedShot | None:
    """A stored shot; None for one that cannot be read, which must not keep the others."""
    key = (row.id, _inputs([row]))
    if key not in _logged:
        if len(_logged) >= MOST_KEPT:
            _logged.clear()
        try:
            _logged[key] = document_of(row, journal.read_events(session, row.id)).logged()
        except (Refused, ValidationError):
            log.exception("shot %s cannot be read: nothing is learnt from it", row.id)
            _logged[key] = None
    return _logged[key]
