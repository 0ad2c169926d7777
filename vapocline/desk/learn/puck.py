"""Put the puck of a shot on the bench, to run any profile on it; and take it away again."""

from __future__ import annotations

from vapocline.core.base.problems import ConflictError, shown
from vapocline.core.formats.registry import PLAN
from vapocline.core.learn.this_puck import identified
from vapocline.core.puck.plan import knowing
from vapocline.desk.bench.bench import Bench, bench_of
from vapocline.desk.bench.known import known_together, made_of_row
from vapocline.desk.context import Context
from vapocline.desk.learn.learning import as_logged
from vapocline.desk.read.shots import finished
from vapocline.store import shelf, shots
from vapocline.store.database import transaction


def put_puck_on_bench(context: Context, shot_id: int) -> Bench:
    """Identify the puck of a finished shot and put it on the bench, with the dose and grind it had.

    Raises NotFoundError, Refused for a shot that does not count, ConflictError while it runs or
    where another machine is on the bench.
    """
    with transaction(context.sessions) as session:
        row = finished(shots.read_shot(session, shot_id))
        bench = shelf.read_bench(session, context.bench_id)
        if bench.machine_id != row.machine_id:
            raise ConflictError(
                f"Shot {shot_id} was pulled on {shown(row.machine.name)}: "
                "put that machine on the bench first."
            )
        shot = as_logged(session, row)
        if shot is None:
            raise ConflictError(f"Shot {shot_id} cannot be read.")
        start = None
        if row.coffee is not None and row.grinder is not None:
            _number, start = known_together(
                session, row.coffee, row.grinder, row.machine, made_of_row(row)
            )
    puck = knowing(shot.plan, identified(shot, start))
    with transaction(context.sessions) as session:
        bench = shelf.read_bench(session, context.bench_id, lock=True)
        bench.puck_shot_id, bench.puck = shot_id, PLAN.write(puck)
        session.flush()
        return bench_of(context, session, bench)


def take_puck_away(context: Context) -> Bench:
    """Remove a shot's puck from the bench; its own coffee, dose and grind count again."""
    with transaction(context.sessions) as session:
        bench = shelf.read_bench(session, context.bench_id, lock=True)
        bench.puck = bench.puck_shot_id = None
        session.flush()
        return bench_of(context, session, bench)
