"""Translate a profile to another machine: the nearest program it can run, and what was lost."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from vapocline.core.base.amounts import change
from vapocline.core.base.document import Answer
from vapocline.core.base.rounding import to_step
from vapocline.core.machine.check import machine_problems
from vapocline.core.machine.commands import command, commands_of, steered_by, step_of, within
from vapocline.core.machine.machine import HandLever, Machine, SoftStart, SpringLever
from vapocline.core.machine.steps import to_machine_steps
from vapocline.core.plan.translate.difference import TELLS, ShotDifference, difference, distance
from vapocline.core.plan.translate.fixes import FixContext, fix_context, fixed
from vapocline.core.plan.translate.levels import needed
from vapocline.core.plan.translate.misfits import misfits
from vapocline.core.plan.translate.runs import ShotRun, run_plan
from vapocline.core.plan.translate.search import LEAST_S, LONGEST_S, closer
from vapocline.core.profile.check import profile_problems
from vapocline.core.profile.differences import exit_words
from vapocline.core.profile.profile import (
    Command,
    CupExit,
    Exit,
    Kind,
    OffCommand,
    Phase,
    PressureAboveExit,
    PressureBelowExit,
    PressureCommand,
    Profile,
    SecondsExit,
    SpringCommand,
)
from vapocline.core.profile.stages import Stage, best_stages
from vapocline.core.puck import columns
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.plan import Plan, on, reground
from vapocline.core.puck.predict import predict

GRIND_STEP_UM = 20.0
MOST_STAGES = 8  # more than this nobody follows, and few machines take
SEARCHED = 2  # cuts of the curve that are searched further, besides the plain one
RUNS_EACH = 150
STAGE_COSTS = 0.04  # how much nearer another stage must bring the shot to be worth having
GUARD_TIMES, LEAST_GUARD_S = 1.6, 25.0
GATE_BAR, GATE_G = 0.8, 1.5  # a stage's end is given by pressure or weight beyond these
Gates = Literal["time", "pressure", "weight"]
ProgressCallback = Callable[[float, Profile, float], bool]


class Shift(Answer):
    """The difference for a puck ground finer or coarser by so many µm."""

    by_um: float
    difference: ShotDifference


class Translation(Answer):
    """A profile for another machine, against the shot it stands for.

    `plain` is what fixing misfit by misfit would give, for comparison: over a puck as it is, a
    grind step finer and one coarser, the profile is never further off (unless it was to be smooth).
    """

    profile: Profile
    machine_name: str
    lost: list[str]
    difference: ShotDifference
    plain: ShotDifference
    shifts: list[Shift]
    before: Prediction
    after: Prediction
    runs: int


@dataclass(frozen=True)
class Wish:
    """How to translate: as near as can be, or smooth; what is to end the stages; and how many runs
    to search with from each start."""

    smooth: bool = False
    gates: Gates = "time"
    runs: int = RUNS_EACH


def translate(
    source: Plan,
    machine: Machine,
    wish: Wish = Wish(),
    watch: ProgressCallback = lambda _share, _profile, _distance: True,
) -> Translation:
    """Search what a machine can do for the program nearest to a plan's shot.

    `source` runs on its own machine, or on one like it that can. `watch` gets the share done and
    each improvement, and answers whether to go on; stopped, the best so far is answered. Raises
    Refused where the source can run nowhere.
    """
    seen = seen_from(source, machine)
    shot = run_plan(seen.plan, coarse=True)
    plain = fixed(seen.plan.profile, seen)
    smooth = wish.smooth and machine.program.ramps and steered_by(machine) is not None
    starts = [*([] if smooth else [plain]), *_sketches(seen, shot, smooth=smooth)]
    went_on, runs = True, 0

    def score(profile: Profile) -> float:
        return distance(shot, run_plan(on(seen.plan, machine, profile), coarse=True))

    found: list[Profile] = []
    for number, start in enumerate(starts):

        def progressed(profile: Profile, at: float, number: int = number) -> bool:
            nonlocal went_on
            went_on = watch((number + 0.5) / (len(starts) + 1), profile, at)
            return went_on

        best, used = closer(start, machine, score, wish.runs, progressed)
        runs += used
        found.append(best)
        if not went_on:
            break
    if smooth:
        found = [_joined_up(profile, machine) for profile in found]
    found = [_ended(profile, seen, wish) for profile in found]
    return answered(seen, _nearest(found if smooth else [*found, plain], seen), plain, runs)


def _joined_up(profile: Profile, machine: Machine) -> Profile:
    """Every stage a move that begins where the one before it ended, halfway between the two."""
    phases = list(profile.phases)
    for i in range(len(phases) - 1):
        one, two = phases[i].command, phases[i + 1].command
        assert not isinstance(one, OffCommand | SpringCommand)
        assert not isinstance(two, OffCommand | SpringCommand)
        meet = within(one.control, (one.to + two.from_) / 2, machine)
        phases[i] = phases[i].model_copy(update={"command": one.model_copy(update={"to": meet})})
        phases[i + 1] = phases[i + 1].model_copy(
            update={"command": two.model_copy(update={"from_": meet})}
        )
    return profile.model_copy(update={"phases": tuple(phases)})


def seen_from(source: Plan, machine: Machine) -> FixContext:
    """The source's shot on a machine that can run it, seen from the machine that is to take it."""
    return fix_context(source.model_copy(update={"members": 1}), machine)


def compared(source: Plan, machine: Machine, profile: Profile) -> Translation:
    """What a given program makes of a source's shot, without any search. Raises Refused."""
    seen = seen_from(source, machine)
    return answered(seen, profile, fixed(seen.plan.profile, seen), 0)


def answered(seen: FixContext, profile: Profile, plain: Profile, runs: int) -> Translation:
    """Both shots whole, how far they differ, and what was lost in words. Raises Refused."""
    after = predict(on(seen.plan, seen.machine, profile))
    shifts = [
        Shift(by_um=by, difference=_difference(seen, profile, by))
        for by in (-GRIND_STEP_UM, GRIND_STEP_UM)
    ]
    found = _difference(seen, profile, 0.0)
    return Translation(
        profile=profile,
        machine_name=seen.machine.name,
        lost=_lost(seen, profile, found),
        difference=found,
        plain=_difference(seen, plain, 0.0),
        shifts=shifts,
        before=predict(seen.plan),
        after=after,
        runs=runs,
    )


def _difference(seen: FixContext, profile: Profile, by_um: float) -> ShotDifference:
    moved = reground(seen.plan, by_um)
    return difference(run_plan(moved), run_plan(on(moved, seen.machine, profile)))


def _three(plan: Plan) -> list[Plan]:
    return [reground(plan, by) for by in (0.0, -GRIND_STEP_UM, GRIND_STEP_UM)]


def measure(seen: FixContext, profile: Profile) -> float:
    """How far a program lies from the source's shot: the mean over three grinds."""
    pairs = [
        (run_plan(plan), run_plan(on(plan, seen.machine, profile))) for plan in _three(seen.plan)
    ]
    return float(np.mean([distance(a, b) for a, b in pairs]))


def _nearest(found: Sequence[Profile], seen: FixContext) -> Profile:
    """The nearest of those that pass the check; the plain one, which always does, is among them."""
    sound = [one for one in found if not _unsound(one, seen.machine)]
    return sound[int(np.argmin([measure(seen, one) for one in sound]))]


def _unsound(profile: Profile, machine: Machine) -> bool:
    return bool(profile_problems(profile) or misfits(profile, machine))


def _sketches(seen: FixContext, shot: ShotRun, *, smooth: bool) -> list[Profile]:
    """First programs that follow the shot's curve: the most promising cuts of it."""
    control, machine = steered_by(seen.machine), seen.machine
    if control is None:
        return list(_plainest(seen))
    t = np.arange(0.0, max(shot.stop_s - shot.begun_s, 1.0), 0.25)
    most = min(machine.program.stages or MOST_STAGES, MOST_STAGES, max(1, t.size - 1))
    ramps = machine.program.ramps and (control != "valve" or smooth)
    cuts = best_stages(t, needed(shot, shot.begun_s + t, control, machine), most, ramps=ramps)
    written = [_written(stages, seen, ramps=ramps, smooth=smooth) for stages in cuts]
    written = [one for one in written if not _unsound(one, machine)]
    if isinstance(machine.control, HandLever):
        written += [again for one in written for again in _raised(one)]
    scores = [
        distance(shot, run_plan(on(seen.plan, machine, one), coarse=True))
        + STAGE_COSTS * len(one.phases)
        for one in written
    ]
    return [written[i] for i in np.argsort(scores)[:SEARCHED]]


def _raised(profile: Profile) -> Iterator[Profile]:
    """A lever that holds too little for filling and pressing, raised again between two stages."""
    raised = Phase(name="Raise", kind="bloom", command=OffCommand(), exits=(SecondsExit(value=2),))
    for i in range(1, len(profile.phases)):
        phases = (*profile.phases[:i], raised, *profile.phases[i:])
        yield profile.model_copy(update={"phases": phases})


def _written(stages: list[Stage], seen: FixContext, *, ramps: bool, smooth: bool) -> Profile:
    control, machine = steered_by(seen.machine), seen.machine
    assert control is not None
    phases: list[Phase] = []
    step = max(0.1, machine.steps.seconds)
    for number, stage in enumerate(stages):
        seconds = max(LEAST_S, step, to_step(stage.end_s - stage.start_s, step))
        least = step_of(control, machine)
        commanded = command(control, max(least, stage.start), max(least, stage.end), machine)
        moves = smooth or (ramps and getattr(commanded, "from_", 0) != getattr(commanded, "to", 0))
        if not moves:
            commanded = command(control, *(max(least, (stage.start + stage.end) / 2),) * 2, machine)
        last = number == len(stages) - 1
        guard = min(LONGEST_S, max(LEAST_GUARD_S, GUARD_TIMES * seconds)) if last else seconds
        name, kind = _named(seen, (stage.start_s + stage.end_s) / 2)
        phases.append(
            Phase(
                name=name,
                kind=kind,
                command=commanded,
                over=seconds if moves else 0,
                exits=(SecondsExit(value=to_step(guard, step)),),
            )
        )
    return seen.plan.profile.model_copy(update={"phases": _numbered(phases)})


def _named(seen: FixContext, t: float) -> tuple[str, Kind]:
    """The name and kind of the source's phase that ran at a moment."""
    index = int(seen.shot.at(columns.S_PHASE, seen.shot.begun_s + t))
    phase = seen.plan.profile.phases[min(index, len(seen.plan.profile.phases) - 1)]
    return phase.name, phase.kind


def _numbered(phases: list[Phase]) -> tuple[Phase, ...]:
    """Several stages of one phase as Press, Press 2, Press 3."""
    said: dict[str, int] = {}
    found = []
    for phase in phases:
        said[phase.name] = said.get(phase.name, 0) + 1
        times = said[phase.name]
        name = phase.name if times == 1 else f"{phase.name[:56]} {times}"
        found.append(phase.model_copy(update={"name": name}))
    return tuple(found)


def _plainest(seen: FixContext) -> Iterator[Profile]:
    """Soak and press, with and without a pause, on a machine that has but springs or a switch."""
    control, profile = seen.machine.control, seen.plan.profile
    drip = seen.shot.figures.first_drip_s
    soak = 6.0 if np.isnan(drip) else max(LEAST_S, round(float(drip), 1))
    if isinstance(control, SpringLever):
        line = PressureCommand(from_=control.line_bar, to=control.line_bar)
        for one in (SpringCommand(springs=1), SpringCommand(springs=2))[: len(control.springs)]:
            yield _of(profile, [("Soak", "pre-infusion", line, soak), ("Press", "hold", one, 60)])
    if isinstance(control, SoftStart):
        full = PressureCommand(from_=control.pump_bar, to=control.pump_bar)
        yield _of(profile, [("Press", "hold", full, 90)])
        if "off" in commands_of(seen.machine):
            parts: list[PhasePart] = [
                ("Wet", "fill", full, 4),
                ("Rest", "bloom", OffCommand(), soak),
                ("Press", "hold", full, 90),
            ]
            yield _of(profile, parts)


PhasePart = tuple[str, Kind, Command, float]


def _of(profile: Profile, parts: Sequence[PhasePart]) -> Profile:
    phases = tuple(
        Phase(name=name, kind=kind, command=one, exits=(SecondsExit(value=seconds),))
        for name, kind, one, seconds in parts
    )
    return profile.model_copy(update={"phases": phases})


def _ended(profile: Profile, seen: FixContext, wish: Wish) -> Profile:
    """The program on the machine's steps, its stages ended by what was asked for."""
    profile = to_machine_steps(profile, seen.machine)
    if wish.gates == "time":
        return profile
    shot = run_plan(on(seen.plan, seen.machine, profile))
    last = len(profile.phases) - 1
    phases = [
        phase if index == last else _gated(phase, index, shot, seen.machine, wish.gates)
        for index, phase in enumerate(profile.phases)
    ]
    return to_machine_steps(profile.model_copy(update={"phases": tuple(phases)}), seen.machine)


def _gated(phase: Phase, index: int, shot: ShotRun, machine: Machine, gates: Gates) -> Phase:
    """A stage that ends where its shot then is, in pressure or weight; its seconds only guard."""
    lasted = shot.ran(index)
    if lasted is None:
        return phase
    start, end = lasted
    gate: Exit | None = None
    if gates == "weight":
        grams = float(shot.at(columns.S_CUP, end))
        gate = CupExit(value=round(grams, 1)) if grams >= GATE_G else None
    else:
        was, now = (float(shot.at(columns.S_P, t)) for t in (start + 0.3, end))
        if now > was + GATE_BAR:
            gate = PressureAboveExit(value=round(now, 1))
        elif now < was - GATE_BAR and now > 0.1:
            gate = PressureBelowExit(value=round(now, 1))
    allowed = machine.program.exits
    if gate is None or (allowed is not None and gate.when not in allowed):
        return phase
    guard = min(300.0, max(5.0, round(GUARD_TIMES * (end - start), 0)))
    return phase.model_copy(update={"exits": (gate, SecondsExit(value=guard))})


def _lost(seen: FixContext, profile: Profile, found: ShotDifference) -> list[str]:
    """What the machine could not take, and how the shot differs by it."""
    source, machine = seen.plan.profile, seen.machine
    problems = machine_problems(source, machine)
    said = [
        f"{phase.name}: {', '.join(words)}"
        for index, phase in enumerate(source.phases)
        if (words := _lost_of(phase, index, {p.field for p in problems}, machine))
    ]
    if any(one.field == "phases" for one in problems):
        said.append(f"{len(profile.phases)} stages in place of {len(source.phases)}")
    cup = f"{change(found.yield_change_g, 'g', 1)} in the cup"
    for value, name, template in (
        (found.pressure_rms_bar, "pressure_rms_bar", "pressure {:.1f} bar off on average"),
        (found.flow_rms_ml_s, "flow_rms_ml_s", "flow {:.2f} mL/s off on average"),
        (found.shot_time_change_s, "shot_time_change_s", "{:+.1f} s of shot time"),
        (
            found.extraction_yield_change_points,
            "extraction_yield_change_points",
            "{:+.1f} points of extraction",
        ),
        (found.yield_change_g, "yield_change_g", cup),
    ):
        if abs(value) >= TELLS[name]:
            said.append(template.format(value))
    own = machine.preamble
    if own is not None and own != seen.plan.setup.machine.preamble:
        begins = f"the program begins at {own.lasts_s:g} s"
        said.append(f"before any program {machine.name} {own.words}: {begins}")
    return said or ["nothing noticeable"]


def _lost_of(phase: Phase, index: int, fields: set[str], machine: Machine) -> list[str]:
    """One phase's losses, in words; empty where the machine takes all of it."""
    path, steered, words = f"phases.{index}", steered_by(machine), []
    control = phase.command.control
    if f"{path}.command.control" in fields:
        if control == "off":
            words.append("no pause, held at almost zero")
        else:
            words.append(f"{control} replaced by {steered or 'what the machine has'}")
    elif any(field.startswith(f"{path}.command.") for field in fields):
        words.append(f"{control} as near as {machine.name} comes to it")
    if f"{path}.over" in fields:
        words.append("levels in place of a move")
    if f"{path}.along" in fields:
        words.append(f"moved along time, not {phase.along}")
    if any(field.startswith(f"{path}.limit") for field in fields):
        words.append("without its limit")
    gone = [r for i, r in enumerate(phase.exits) if f"{path}.exits.{i}.when" in fields]
    if gone:
        words.append(f"seconds in place of {' or '.join(exit_words(rule) for rule in gone)}")
    return words
