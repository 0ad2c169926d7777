"""A run without coffee, to time a machine's stages."""

from __future__ import annotations

from contextlib import closing

from vapocline.core.base.problems import DeviceError
from vapocline.core.machine.calibration.measured import DryRun, StageTiming
from vapocline.core.puck.predict import predict
from vapocline.desk.bench.bench import read_bench
from vapocline.desk.bench.setup import plan_for
from vapocline.desk.context import Context
from vapocline.desk.plan.profiles import read_version
from vapocline.desk.shelf.connections import machine_address
from vapocline.devices.adapters import open_machine
from vapocline.devices.messages import EventLine
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.tables import MachineRow


def dry_run(context: Context, profile_id: int, number: int) -> DryRun:
    """Run a saved version on the bench's machine with a drilled disc in the puck's place, and time
    its stages against the plan.

    Raises NotFoundError, Refused where the machine cannot run it, DeviceError, also for one that
    is not connected.
    """
    bench = read_bench(context)
    profile = read_version(context, profile_id, number).profile
    plan, _assumed = plan_for(bench, profile)
    plan = plan.model_copy(update={"setup": plan.setup.model_copy(update={"insert": True})})
    planned = [run.start_s for run in predict(plan).phases]
    with transaction(context.sessions) as session:
        row = shelf.read_one(session, MachineRow, bench.machine.id)
        if not row.wired:
            raise DeviceError(
                f"{row.name} is not connected: nothing reports when its stages begin."
            )
        address = machine_address(context.resources, row)
    began: dict[int, float] = {}
    with closing(open_machine(address)) as machine:
        machine.basket(plan.setup)
        machine.load(profile)
        machine.start()
        for said in machine.said():
            if isinstance(said, EventLine) and said.what == "phase" and said.phase is not None:
                began[said.phase] = said.t
    rows = [
        StageTiming(stage=phase.name, planned_s=round(at, 2), began_s=round(began[index], 2))
        for index, (phase, at) in enumerate(zip(profile.phases, planned, strict=True))
        if at is not None and index in began
    ]
    if not rows:
        raise DeviceError("The machine ran none of the stages.")
    return DryRun(rows=tuple(rows))
