"""The engine alone: one shot, its ranges, what each step does, goals, and against solve_ivp."""

from __future__ import annotations

import statistics
import subprocess
import sys
import time

from benchmarks.timing import Row, row, timed
from tests.core.puck.reference import walk
from tests.core.read.recordings import recording, styled
from tests.factories import bloomed, plan, pressure, soaked
from vapocline.core.plan.goal import Goal, seek
from vapocline.core.plan.sensitivity import sensitivities
from vapocline.core.plan.translate.fixes import effects, fix_context
from vapocline.core.plan.translate.misfits import misfits
from vapocline.core.plan.translate.translation import translate
from vapocline.core.profile.profile import Limit
from vapocline.core.puck.parameters import Parameters, parameters_for
from vapocline.core.puck.plan import Plan, on
from vapocline.core.puck.predict import predict, run
from vapocline.core.puck.program import Program, program_of
from vapocline.core.read.reading import Circumstances, read_curve
from vapocline.demo.things import MACHINES

SHOTS = {
    "flat, 24 s": plan(pressure(9)),
    "soak then hold, 25 s": plan(*soaked(2.5)),
    "bloom, 52 s": plan(*bloomed()),
}
FIRST = """
from vapocline.core.puck.plan import Plan, Setup
from vapocline.core.puck.predict import predict
from vapocline.core.plan.styles.fit import steady_nine
predict(Plan(setup=Setup(dose_g=18), members=1, profile=steady_nine("First", 36)))
"""


def core_rows() -> list[Row]:
    """Everything the engine does, warm; and a new process with the cache warm."""
    soak = SHOTS["soak then hold, 25 s"]
    single = {name: timed(lambda one=one: predict(one), times=60) for name, one in SHOTS.items()}
    kernel = timed(lambda: run(*_kernels(SHOTS["flat, 24 s"])), times=200)
    rows = [row("the kernel alone: flat, 24 s", kernel, "aim 1.5 or less")]
    rows += [row(f"prediction: {name}", taken, "aim 5 or less") for name, taken in single.items()]
    for members in (60, 200):
        many = soak.model_copy(update={"members": members})
        taken = timed(lambda one=many: predict(one), times=12)
        rows.append(row(f"{members} members: soak then hold", taken, "200: aim 200 or less"))
    rows.append(_reading())
    rows.append(row("sensitivities", timed(lambda: sensitivities(soak), times=6)))
    rows.append(row("goal, one number", timed(lambda: seek(_goal(soak, 1)), times=6), "aim 1000"))
    rows.append(row("goal, two numbers", timed(lambda: seek(_goal(soak, 2)), times=6), "aim 1000"))
    rows += _for_machines()
    rows.append(_against_solve_ivp(soak))
    rows.append(row("new process to first prediction", _new_processes(5), "aim 1500 or less"))
    return rows


def _reading() -> Row:
    """Reading a recording of about a minute, its replays among it."""
    one = recording(styled("bloom"), 1)
    known = Circumstances(stop_s=one.stop_s)
    taken = timed(lambda: read_curve(one.traces, one.plan, known), times=12)
    return row(f"reading a shot of {one.stop_s:.0f} s", taken, "aim 90 or less")


def _for_machines() -> list[Row]:
    """Checking a profile for a machine, telling every fix's effect, and translating it."""
    flow_plan = plan(*soaked(1.8, limit=Limit(pressure_bar=9)), machine=MACHINES[0])
    staged = MACHINES[4]
    seen = fix_context(on(flow_plan, staged))
    rows = [
        row("check", timed(lambda: misfits(flow_plan.profile, staged), times=60), "aim 20"),
        row("fixes with effects", timed(lambda: effects(flow_plan.profile, seen), times=6)),
    ]
    for machine in MACHINES[1:]:
        taken = timed(lambda one=machine: translate(flow_plan, one), times=3)
        rows.append(row(f"translate to {machine.control.kind}", taken, "aim 3000"))
    return rows


def _goal(one: Plan, numbers: int) -> Goal:
    wants = [{"figure": "shot_time_s", "at": 30}, {"figure": "ratio", "at": 2.2}]
    moves = [{"what": "setup.grind_um"}, {"what": "profile.stop.cup_g"}]
    return Goal.model_validate(
        {"plan": one.written(), "wants": wants[:numbers], "moves": moves[:numbers]}
    )


def _kernels(one: Plan) -> tuple[Parameters, Program]:
    return parameters_for(one.setup), program_of(one.profile, one.setup.machine)


def _against_solve_ivp(one: Plan) -> Row:
    """How many times as fast as the same equations in solve_ivp, at the tests' agreement."""
    ours = timed(lambda: run(*_kernels(one)), times=200)
    began = time.perf_counter()
    walk(one)
    plain = time.perf_counter() - began
    return Row("times as fast as solve_ivp", plain / statistics.median(ours), None, "x", "aim 2500")


def _new_processes(times: int) -> list[float]:
    taken = []
    for _ in range(times):
        began = time.perf_counter()
        subprocess.run([sys.executable, "-c", FIRST], check=True)
        taken.append(time.perf_counter() - began)
    return taken
