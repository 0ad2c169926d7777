"""The nearest profile that a machine can take: plain, one misfit at a time.

A fix looks at what the shot does on a machine that can run it (`able`), so that a level stands for
the pressure or flow the puck really had.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from vapocline.core.base.problems import Problem, Refused
from vapocline.core.base.rounding import to_step
from vapocline.core.machine.check import machine_problems
from vapocline.core.machine.commands import (
    Variable,
    command,
    commands_of,
    steered_by,
    step_of,
    within,
)
from vapocline.core.machine.machine import (
    BothLoops,
    HandLever,
    Machine,
    ProgramLimits,
    SoftStart,
    Spring,
    SpringLever,
    ValveAhead,
)
from vapocline.core.machine.steps import to_machine_steps
from vapocline.core.plan.translate.difference import ShotDifference, difference, distance
from vapocline.core.plan.translate.levels import needed
from vapocline.core.plan.translate.misfits import misfits
from vapocline.core.plan.translate.runs import ShotRun, run_plan
from vapocline.core.profile.check import profile_problems
from vapocline.core.profile.profile import (
    Command,
    Exit,
    Limit,
    OffCommand,
    Phase,
    PressureCommand,
    Profile,
    SecondsExit,
    SpringCommand,
)
from vapocline.core.puck import columns
from vapocline.core.puck.plan import Plan, on
from vapocline.core.puck.ranges import side_by_side

HELD_SHARE = 0.12  # of its higher end: a level that moves less than this within a phase is held
SETTLE_SHARE, MOST_SETTLE_S = 0.25, 1.5  # of a phase: after this its level is read
LONGEST_S, LEAST_S = 300.0, 0.5
GUARD_TIMES, LEAST_GUARD_S = 1.6, 25.0
SAME_S = 0.05


@dataclass(frozen=True)
class FixContext:
    """What a fix may look at: the plan, the shot on a machine that can run it, and the machine."""

    plan: Plan
    shot: ShotRun
    machine: Machine


# Simulators for a machine whose own numbers are unknown: ours, of no particular make.
ANY_VALVE = ValveAhead(
    pump_bar=9, turns=(0, 0.5, 1, 1.5, 2, 3), free_flow_ml_s=(0, 0.9, 2.4, 4.3, 6.1, 8)
)
ANY_WATER_S = 5.0
ANY_SPRINGS = SpringLever(
    springs=(Spring(top_bar=8.5, end_bar=4), Spring(top_bar=2.5, end_bar=1.5))
)


def able(profile: Profile, machine: Machine) -> Machine:
    """The machine itself where it can run the profile, else one like it that can.

    Raises Refused where no machine can run it, or its commands belong to no one machine.
    """
    if problems := profile_problems(profile):
        raise Refused(problems)
    if not machine_problems(profile, machine):
        return machine
    used = {phase.command.control for phase in profile.phases} - {"off"}
    levels = _highest(profile)
    warmed = any(phase.water_c is not None for phase in profile.phases)
    like = machine.model_copy(
        update={
            "water_follows_s": machine.water_follows_s or (ANY_WATER_S if warmed else None),
            "program": ProgramLimits(),
            "relief_bar": max(machine.relief_bar, min(15.0, levels.get("pressure", 0.0))),
            "top_flow_ml_s": max(machine.top_flow_ml_s, levels.get("flow", 0.0)),
        }
    )
    for control in (machine.control, BothLoops(), ANY_VALVE, HandLever(), ANY_SPRINGS):
        found = like.model_copy(update={"control": control})
        if isinstance(control, SpringLever) and control is ANY_SPRINGS:
            found = found.model_copy(update={"relief_bar": max(11.0, found.relief_bar)})
        if used <= set(commands_of(found)) and not machine_problems(profile, found):
            return found
    got = ", ".join(sorted(used))
    raise Refused([Problem("phases", got, "commands that one kind of machine can combine")])


def _highest(profile: Profile) -> dict[str, float]:
    found: dict[str, float] = {}
    for phase in profile.phases:
        one = phase.command
        if not isinstance(one, OffCommand | SpringCommand):
            found[one.control] = max(found.get(one.control, 0.0), one.from_, one.to)
    return found


def fix_context(plan: Plan, machine: Machine | None = None) -> FixContext:
    """What fixes look at: the plan's shot on a machine that can run it, and the machine that is to
    take it, by default the plan's own. Raises Refused."""
    origin = on(plan, able(plan.profile, plan.setup.machine))
    return FixContext(origin, run_plan(origin), machine or plan.setup.machine)


def fixed(profile: Profile, seen: FixContext, field: str | None = None) -> Profile:
    """The profile with one field's misfit fixed, or all of them where none is named.

    With all fixed it passes the check of the machine. Raises Refused for a field that fits.
    """
    found = misfits(profile, seen.machine)
    if field is not None:
        if not any(one.field == field for one in found):
            raise Refused([Problem("field", field, "the field of something that does not fit")])
        return _one(profile, seen, field)
    for _round in range(4):  # a fix may bring another with it: an off phase's level, its exits
        found = misfits(profile, seen.machine)
        if not found:
            return profile
        fields = [one.field for one in found if one.field != "phases"]
        for one in sorted(fields, key=_order):
            profile = _one(profile, seen, one)
        profile = _once_each(to_machine_steps(profile, seen.machine), seen.machine)
        if seen.machine.program.stages is not None:
            profile = merged(profile, seen, seen.machine.program.stages)
    return profile


def _once_each(profile: Profile, machine: Machine) -> Profile:
    """Neighbours with the same command as one, on a machine that is only let go or switched on."""
    if not isinstance(machine.control, SpringLever | SoftStart):
        return profile
    i = 0
    while i < len(profile.phases) - 1:
        if profile.phases[i].command == profile.phases[i + 1].command:
            profile = _joined(profile, i)
        else:
            i += 1
    return profile


def effects(profile: Profile, seen: FixContext) -> list[tuple[str, ShotDifference]]:
    """What each fix alone does to the shot, and under "" what all of them do together.

    A fix alone is run on a machine that can run the rest, and left out where there is none, as
    where a spring would stand beside a flow. Empty for a profile that fits.
    """
    fields = [one.field for one in misfits(profile, seen.machine)]

    def effect(field: str) -> tuple[str, ShotDifference] | None:
        one = fixed(profile, seen, field or None)
        try:
            shot = run_plan(on(seen.plan, able(one, seen.machine), one))
        except Refused:
            return None
        return field, difference(seen.shot, shot)

    if not fields:
        return []
    return [one for one in side_by_side(effect, [*fields, ""]) if one is not None]


def _order(field: str) -> tuple[int, int]:
    """Commands first, and of several exits the last first: removing one shifts those after it."""
    parts = field.split(".")
    rank = 0 if parts[2] == "command" else 2 if parts[2] == "exits" else 1
    return rank, -int(parts[3]) if rank == 2 and len(parts) > 3 else 0


def _one(profile: Profile, seen: FixContext, field: str) -> Profile:
    if field == "phases":
        most = seen.machine.program.stages
        return merged(profile, seen, most) if most is not None else profile
    parts = field.split(".")
    index = int(parts[1])
    phase, what = profile.phases[index], ".".join(parts[2:])
    if field not in {problem.field for problem in machine_problems(profile, seen.machine)}:
        return _put(profile, index, to_machine_steps(profile, seen.machine).phases[index])
    if what == "command.control":
        changed = _commanded(phase, index, seen)
    elif what == "command.springs":
        changed = phase.model_copy(update={"command": SpringCommand(springs=1)})
    elif what.startswith("command.") and isinstance(seen.machine.control, SpringLever | SoftStart):
        changed = _commanded(phase, index, seen)
    elif what.startswith("command."):
        changed = _clamped(phase, seen.machine)
    elif what.startswith("limit."):
        changed = phase.model_copy(update={"limit": Limit()})
    elif what == "water_c":
        changed = phase.model_copy(update={"water_c": None})
    elif what == "along":
        changed = _along_time(phase, index, seen)
    elif what == "over":
        changed = _level(phase, seen.machine)
    else:
        changed = _endings(phase, index, seen)
    return _put(profile, index, changed)


def _put(profile: Profile, index: int, phase: Phase) -> Profile:
    phases = (*profile.phases[:index], phase, *profile.phases[index + 1 :])
    return profile.model_copy(update={"phases": phases})


def _commanded(phase: Phase, index: int, seen: FixContext) -> Phase:
    """The phase in the machine's own terms, from what the shot does in it."""
    control = steered_by(seen.machine)
    replacement: Command
    if control is None:
        replacement = plain_command(phase, index, seen)
        return phase.model_copy(
            update={"command": replacement, "over": 0.0, "along": "time", "limit": Limit()}
        )
    if isinstance(phase.command, OffCommand):
        least = max(step_of(control, seen.machine), 0.0)
        replacement = command(control, least, least, seen.machine)
        return phase.model_copy(update={"command": replacement})
    start, end, seconds = _levels(index, control, seen)
    held = abs(end - start) <= HELD_SHARE * max(start, end, 1e-9)
    replacement = command(control, end if held else start, end, seen.machine)
    keeps = (
        Limit(pressure_bar=phase.limit.pressure_bar) if control in ("flow", "valve") else Limit()
    )
    return phase.model_copy(
        update={
            "command": replacement,
            "along": "time",
            "over": 0.0 if held else seconds,
            "shape": "linear",
            "limit": keeps if seen.machine.program.limits else Limit(),
        }
    )


def _levels(index: int, control: Variable, seen: FixContext) -> tuple[float, float, float]:
    """The level once a phase has settled, at its end, and how long it lasts."""
    lasted = seen.shot.ran(index) if index < len(seen.shot.log) else None
    if lasted is None:
        last = np.array([max(0.0, seen.shot.stop_s - 0.5)])
        level = float(needed(seen.shot, last, control, seen.machine)[0])
        return level, level, LEAST_S
    start, end = lasted
    settled = start + min(MOST_SETTLE_S, SETTLE_SHARE * (end - start))
    at = needed(seen.shot, np.array([settled, max(settled, end - 0.2)]), control, seen.machine)
    return float(at[0]), float(at[1]), max(LEAST_S, round(end - start, 1))


def plain_command(phase: Phase, index: int, seen: FixContext) -> Command:
    """What a lever or a switch has that is nearest to a phase: soak, press, or nothing."""
    control = seen.machine.control
    pauses = "off" in commands_of(seen.machine)
    lasted = seen.shot.ran(index) if index < len(seen.shot.log) else None
    middle = 0.0 if lasted is None else float(np.mean(lasted))
    pressure = float(seen.shot.at(columns.S_P, middle))
    flow = float(seen.shot.at(columns.S_Q_IN, middle))
    if isinstance(control, SoftStart):
        idle = isinstance(phase.command, OffCommand) or (flow < 0.1 and pressure < 1)
        if idle and pauses:
            return OffCommand()
        return PressureCommand(from_=control.pump_bar, to=control.pump_bar)
    assert isinstance(control, SpringLever)
    if isinstance(phase.command, OffCommand) and pauses:
        return OffCommand()
    if phase.kind in ("fill", "pre-infusion", "bloom") or pressure <= control.line_bar + 0.5:
        return PressureCommand(from_=control.line_bar, to=control.line_bar)
    tops = np.cumsum([spring.top_bar for spring in control.springs])
    peak = float(seen.shot.figures.peak_pressure_bar)
    allowed = [i for i, top in enumerate(tops) if top <= seen.machine.relief_bar] or [0]
    return SpringCommand(springs=2 if min(allowed, key=lambda i: abs(tops[i] - peak)) else 1)


def _clamped(phase: Phase, machine: Machine) -> Phase:
    one = phase.command
    assert not isinstance(one, OffCommand | SpringCommand)
    ends = {
        "from_": min(one.from_, _top(one.control, machine)),
        "to": min(one.to, _top(one.control, machine)),
    }
    return phase.model_copy(update={"command": one.model_copy(update=ends)})


def _top(control: Variable, machine: Machine) -> float:
    return within(control, 1e6, machine)


def _along_time(phase: Phase, index: int, seen: FixContext) -> Phase:
    lasted = seen.shot.ran(index) if index < len(seen.shot.log) else None
    over = LEAST_S if lasted is None else max(LEAST_S, lasted[1] - lasted[0])
    return phase.model_copy(update={"along": "time", "over": round(min(over, LONGEST_S), 1)})


def _level(phase: Phase, machine: Machine) -> Phase:
    one = phase.command
    if isinstance(one, OffCommand | SpringCommand):
        return phase.model_copy(update={"over": 0.0})
    middle = within(one.control, (one.from_ + one.to) / 2, machine)
    return phase.model_copy(
        update={"command": one.model_copy(update={"from_": middle, "to": middle}), "over": 0.0}
    )


def _endings(phase: Phase, index: int, seen: FixContext) -> Phase:
    """Only exits the machine knows; seconds in the place of one it does not that came first."""
    allowed = seen.machine.program.exits
    kept: list[Exit] = [one for one in phase.exits if allowed is None or one.when in allowed]
    lasted = seen.shot.ran(index) if index < len(seen.shot.log) else None
    last = index == len(seen.plan.profile.phases) - 1
    dropped = seen.shot.ended(index) if index < len(seen.shot.log) else ""
    if lasted is not None and allowed is not None and dropped not in (*allowed, ""):
        seconds = lasted[1] - lasted[0]
        if last:
            seconds = max(LEAST_GUARD_S, GUARD_TIMES * seconds)
        if "seconds" in allowed:
            step = seen.machine.steps.seconds
            value = max(step, to_step(min(seconds, LONGEST_S), step))
            kept = [one for one in kept if one.when != "seconds"]
            kept.append(SecondsExit(value=max(LEAST_S, value)))
    if not any(one.when in ("seconds", "water_ml") for one in kept):
        kept.append(SecondsExit(value=LEAST_GUARD_S))
    return phase.model_copy(update={"exits": tuple(kept)})


def merged(profile: Profile, seen: FixContext, most: int) -> Profile:
    """At most so many phases: each time the two neighbours whose merging changes the shot least."""
    while len(profile.phases) > most:
        tried = [_joined(profile, i) for i in range(len(profile.phases) - 1)]
        roomy = seen.machine.model_copy(
            update={"program": seen.machine.program.model_copy(update={"stages": None})}
        )
        origin = run_plan(seen.plan, coarse=True)

        def away(one: Profile, roomy: Machine = roomy, origin: ShotRun = origin) -> float:
            if machine_problems(one, roomy):
                return float("inf")
            return distance(origin, run_plan(on(seen.plan, roomy, one), coarse=True))

        profile = min(tried, key=away)
    return profile


def _joined(profile: Profile, i: int) -> Profile:
    """Phases i and i+1 as one: the longer one's command, both their seconds, the later's exits."""
    first, second = profile.phases[i : i + 2]
    a, b = (_seconds(phase) for phase in (first, second))
    longer = first if a > b else second
    exits = tuple(
        SecondsExit(value=min(LONGEST_S, round(a + b, 3))) if rule.when == "seconds" else rule
        for rule in second.exits
    )
    command = longer.command
    same = first.command.control == second.command.control
    if same and not isinstance(command, OffCommand | SpringCommand):
        command = _between(first, second, a, b)
    over = 0.0 if command.control in ("off", "spring") else longer.over
    if not isinstance(command, OffCommand | SpringCommand) and command.from_ == command.to:
        over = 0.0
    joined = longer.model_copy(update={"command": command, "over": over, "exits": exits})
    return profile.model_copy(
        update={"phases": (*profile.phases[:i], joined, *profile.phases[i + 2 :])}
    )


def _between(first: Phase, second: Phase, a: float, b: float) -> Command:
    """One level for two: their mean, each counted as long as it lasts; a move stays a move."""
    one, two = first.command, second.command
    assert not isinstance(one, OffCommand | SpringCommand)
    assert not isinstance(two, OffCommand | SpringCommand)
    longer = one if a > b else two
    if first.over > 0 or second.over > 0:
        return longer
    level = round((a * one.to + b * two.to) / max(a + b, SAME_S), 3)
    return longer.model_copy(update={"from_": level, "to": level})


def _seconds(phase: Phase) -> float:
    return next((rule.value for rule in phase.exits if isinstance(rule, SecondsExit)), LEAST_S)
