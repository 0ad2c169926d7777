"""Fit a style to the dose, drink, machine and coffee at hand, by solving its numbers."""

from __future__ import annotations

import math
from typing import NamedTuple

from vapocline.core.base.amounts import from_to, grams
from vapocline.core.machine.check import machine_problems
from vapocline.core.machine.machine import HandLever, Machine, ProgramLimits, ValveAhead
from vapocline.core.machine.steps import to_machine_steps
from vapocline.core.plan.adjustable import adjustables_of
from vapocline.core.plan.goal import Allowed, Goal, Want, seek
from vapocline.core.plan.styles.building import (
    RESTED_ML_G,
    SHORTEST_REST_S,
    rest_for_gas_s,
)
from vapocline.core.plan.styles.catalogue import STYLES, Aim, AimMove, Style
from vapocline.core.plan.styles.spelling import REFERENCE_DOSE_G, Spelling
from vapocline.core.plan.translate.translation import translate
from vapocline.core.profile.profile import OffCommand, Phase, Profile, SecondsExit, Stop
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.plan import Plan, Setup, on
from vapocline.core.puck.predict import gas_at_ml_g, predict

PLAIN_LONGEST_S = 150.0  # a plain shot that chokes is given up
GENEROUS_S, LONGEST_S = 200.0, 240.0  # while solving, so that no guard hides what a number does
GUARD = 1.6  # how much longer than predicted the last phase may run
LEAST_GUARD_S, MOST_GUARD_S = 25.0, 285.0
PEAK_MEANT_BAR, REACHED_G = 1.5, 1.0  # further off than this, the style's user should know
VALVE_SHARE = 0.75  # of its pump's pressure: above it a valve no longer holds the flow
DEFAULT_GRINDS_UM = (180.0, 700.0)


class StyleFit(NamedTuple):
    """A style for one setup. `grind_um` is what suits it, whether or not the profile was solved
    there; `words` say what was solved, one phrase each."""

    profile: Profile
    setup: Setup  # as the profile was solved for
    yield_g: float
    grind_um: float
    words: list[str]
    prediction: Prediction


def steady_nine(name: str, yield_g: float) -> Profile:
    """The plainest start, unsolved: fill until the puck pushes back, then hold nine bar."""
    style = style_named("steady-nine")
    phases = style.build(Spelling(Setup(dose_g=REFERENCE_DOSE_G)), yield_g)
    note = "Fill gently until 2 bar, then hold nine to the weight. A baseline to vary from."
    return Profile(name=name, note=note, stop=Stop(cup_g=yield_g, time_s=90), phases=phases)


def plain_shot(setup: Setup, yield_g: float) -> Profile:
    """A steady nine bar as the machine writes it, none of its numbers solved: what a first forecast
    of a bench is of. Raises Refused where the machine cannot run it."""
    machine = setup.machine
    roomy = setup.model_copy(
        update={"machine": machine.model_copy(update={"program": ProgramLimits()})}
    )
    plan, _lost = _on_program(unsolved(style_named("steady-nine"), roomy, yield_g), machine)
    stop = Stop(cup_g=yield_g, time_s=PLAIN_LONGEST_S)
    return plan.profile.model_copy(update={"stop": stop})


def style_named(key: str) -> Style:
    """A style by its key. Raises StopIteration for one there is none of."""
    return next(style for style in STYLES if style.key == key)


def fit(
    style: Style,
    setup: Setup,
    yield_g: float,
    *,
    regrind: bool = True,
    grinds_um: tuple[float, float] = DEFAULT_GRINDS_UM,
) -> StyleFit:
    """Solve a style for a setup and a drink.

    With `regrind` the profile is solved at the grind that suits the style, within what the grinder
    gives; else at the grind as it is. A drink outside what the style is for gives way to its own
    ratio. Raises Refused where the machine cannot run it.
    """
    own_machine, words = setup.machine, []
    roomy = own_machine.model_copy(update={"program": ProgramLimits()})
    setup = setup.model_copy(update={"machine": roomy})  # its program's bounds come last
    low, high = style.ratios
    if not low <= yield_g / setup.dose_g <= high:
        own = round(setup.dose_g * style.ratio, 1)
        words.append(f"yield {from_to(yield_g, own, 'g')}, as it is meant for {style.drink}")
        yield_g = own
    plan = unsolved(style, setup, yield_g)
    want = _grind_want(plan, style)
    move = Allowed(what="setup.grind_um", low=grinds_um[0], high=grinds_um[1])
    suits = seek(Goal(plan=plan, wants=(want,), moves=(move,)))
    grind = round(suits.moves[0].after)
    if regrind and grind != round(setup.grind_um):
        words.append(f"grind {setup.grind_um:.0f} to {grind} µm, for {_words_of(want)}")
        plan = plan.model_copy(
            update={"setup": setup.model_copy(update={"grind_um": float(grind)})}
        )
    for aim in style.aims:
        plan, said = _solved(plan, aim)
        words.extend(said)
    words.extend(_rested(plan))
    plan, said = _ended(plan, yield_g)
    words.extend(said)
    plan, said = _on_program(plan, own_machine)
    words.extend(said)
    shot = predict(plan)
    words.extend(_soaked(plan, shot))
    words.extend(_lost(style, shot, yield_g))
    return StyleFit(plan.profile, plan.setup, yield_g, float(grind), words, shot)


def _soaked(plan: Plan, shot: Prediction) -> list[str]:
    """What gas a soak under pressure leaves as the press begins: it drips before much has left, so
    that, unlike a rest, it is not made longer for it."""
    phases, setup = plan.profile.phases, plan.setup
    if _rests(plan) or setup.rest_days < 1 or not any(one.kind == "pre-infusion" for one in phases):
        return []
    press = 1 + max(at for at, one in enumerate(phases) if one.kind == "pre-infusion")
    starts_s = shot.phases[press].start_s if press < len(shot.phases) else None
    if starts_s is None:
        return []
    younger = setup.model_copy(update={"rest_days": setup.rest_days - 1})
    fresher = plan.model_copy(update={"setup": younger})
    left, then = (gas_at_ml_g(one, starts_s) for one in (plan, fresher))
    return [
        f"{left:.1f} mL/g of gas are left as it presses, {then - left:.2f} more if it were a day "
        "younger"
    ]


def _rests(plan: Plan) -> bool:
    """Whether its gas is let go with the pump off: raising a lever again is too short for that."""
    return any(
        isinstance(phase.command, OffCommand)
        and isinstance(rule, SecondsExit)
        and rule.value >= SHORTEST_REST_S
        for phase in plan.profile.phases
        for rule in phase.exits
    )


def _rested(plan: Plan) -> list[str]:
    """How long its rest is for the coffee's gas, and how a younger coffee would change that."""
    setup = plan.setup
    if not _rests(plan) or setup.rest_days < 1:
        return []
    rest_s = rest_for_gas_s(setup)
    younger = setup.model_copy(update={"rest_days": setup.rest_days - 1})
    longer_s = rest_for_gas_s(younger) - rest_s
    said = f"rest {rest_s:.0f} s, for its gas to fall to {RESTED_ML_G} mL/g"
    return [f"{said}: {longer_s:.1f} s more if it were a day younger" if longer_s else said]


def _on_program(plan: Plan, machine: Machine) -> tuple[Plan, list[str]]:
    """The plan on the machine itself: where its program has no place for it, the nearest it has."""
    if not machine_problems(plan.profile, machine):
        return on(plan, machine), []
    found = translate(plan, machine)
    words = [f"for {machine.name}'s program, {one}" for one in found.lost]
    return on(plan, machine, found.profile), words


def _lost(style: Style, shot: Prediction, yield_g: float) -> list[str]:
    """What of the style this machine cannot give, in words."""
    said = []
    peak, cup = shot.peak_pressure_bar.value or 0.0, shot.yield_g.value or 0.0
    if abs(peak - style.peak_bar) > PEAK_MEANT_BAR:
        said.append(f"peaks at {peak:.1f} bar, where the style means about {style.peak_bar:g}")
    if cup < yield_g - REACHED_G:
        said.append(f"reaches {grams(cup, 0)} of {grams(yield_g)}: the machine holds no more water")
    return said


def unsolved(style: Style, setup: Setup, yield_g: float) -> Plan:
    """A style's plan for a setup and a drink, before any of its numbers is solved."""
    *before, last = _with_strokes(style.build(Spelling(setup), yield_g), setup)
    return Plan(
        members=1,
        setup=setup,
        profile=Profile(
            name=style.name,
            note=f"{style.purpose}\n{style.expect}",
            stop=Stop(cup_g=yield_g, time_s=LONGEST_S),
            phases=(*before, _guarded(last, GENEROUS_S)),
        ),
    )


def _with_strokes(phases: tuple[Phase, ...], setup: Setup) -> list[Phase]:
    """A hand lever holds too little for filling and pressing: it is raised again in between."""
    rests = any(phase.command.control == "off" for phase in phases)
    if not isinstance(setup.machine.control, HandLever) or rests:
        return list(phases)
    raised = Phase(name="Raise", kind="bloom", command=OffCommand(), exits=(SecondsExit(value=2),))
    return [*phases[:-1], raised, phases[-1]]


def _grind_want(plan: Plan, style: Style) -> Want:
    """What the grind is chosen for: the time, or the pressure where the flow is commanded."""
    phases, machine = plan.profile.phases, plan.setup.machine
    if Spelling(plan.setup).grind_makes_pressure(phases[-1]):
        top = machine.relief_bar
        if isinstance(machine.control, ValveAhead):
            top = VALVE_SHARE * machine.control.pump_bar
        return Want(figure="peak_pressure_bar", at=min(style.peak_bar, top))
    rests = sum(
        rule.value
        for phase in phases
        if phase.command.control == "off"
        for rule in phase.exits
        if isinstance(rule, SecondsExit)
    )
    return Want(figure="shot_time_s", at=style.time_s + rests)


def _guarded(phase: Phase, seconds: float) -> Phase:
    others = [rule for rule in phase.exits if rule.when != "seconds"]
    return phase.model_copy(update={"exits": (*others, SecondsExit(value=seconds))})


def _scaled(want: Want, setup: Setup) -> Want:
    """Wants are written for 18 g: a flow goes with the dose."""
    if want.figure != "late_flow_ml_s" or want.at is None:
        return want
    at = round(want.at * setup.dose_g / REFERENCE_DOSE_G, 2)
    return want.model_copy(update={"at": at})


def _solved(plan: Plan, aim: Aim) -> tuple[Plan, list[str]]:
    """The plan with an aim's numbers moved, and in words; unchanged where it has none of them."""
    moves = [allowed for move in aim.moves if (allowed := _allowed(plan, move))]
    if not moves:
        return plan, []
    wants = tuple(_scaled(want, plan.setup) for want in aim.wants)
    found = seek(Goal(plan=plan, wants=wants, moves=tuple(moves)))
    reached = " and ".join(_words_of(want) for want in wants)
    said = [
        f"{one.name} {one.before:g} to {one.after:.1f} {one.unit}, "
        f"{'for' if found.reached else 'as close as it gets to'} {reached}"
        for one in found.moves
    ]
    return found.plan, said


def _allowed(plan: Plan, move: AimMove) -> Allowed | None:
    """A move's number in this plan, its range cut to what the machine takes; None without one."""
    names = [phase.name for phase in plan.profile.phases]
    if move.phase not in names:
        return None
    index = names.index(move.phase)
    if plan.profile.phases[index].command.control not in ("pressure", "flow"):
        return None  # turns and kilograms have other ranges: they stay as they were spelled
    path = f"profile.phases.{index}.command.{move.what}"
    machine = plan.setup.machine
    for number in adjustables_of(plan):
        if number.path == path:
            top = machine.relief_bar if number.unit == "bar" else machine.top_flow_ml_s
            high = min(move.high, top)
            return Allowed(what=path, low=move.low, high=high) if move.low < high else None
    return None


def _ended(plan: Plan, yield_g: float) -> tuple[Plan, list[str]]:
    """Numbers in the machine's steps, guards a little beyond what is predicted, a stop before the
    weight by what will still drip."""
    profile = to_machine_steps(plan.profile, plan.setup.machine)
    shot = predict(plan.model_copy(update={"profile": profile}))
    time = shot.shot_time_s.value or LONGEST_S
    start = shot.phases[-1].start_s or 0.0
    guard = max(
        LEAST_GUARD_S,
        min(MOST_GUARD_S - math.ceil(start), 5 * math.ceil((time - start) * GUARD / 5)),
    )
    stop_at = yield_g
    if shot.stopped_on == "cup_g" and shot.yield_g.value is not None:
        stop_at = round(yield_g - (shot.yield_g.value - yield_g), 1)
    longest = 10 * math.ceil((start + guard + 5) / 10)
    profile = profile.model_copy(
        update={
            "stop": Stop(cup_g=stop_at, time_s=min(300, longest)),
            "phases": (*profile.phases[:-1], _guarded(profile.phases[-1], guard)),
        }
    )
    words = [f"stop at {grams(stop_at)}, as the last drips bring it to {grams(yield_g)}"]
    return plan.model_copy(update={"profile": profile}), words


UNITS = {"peak_pressure_bar": "bar", "late_flow_ml_s": "mL/s"}
NAMES = {
    "shot_time_s": "a shot of",
    "shot_time_from_first_drip_s": "a time from the first drip of",
    "shot_time_from_full_pressure_s": "a time from full pressure of",
    "first_drip_s": "a first drip at",
    "peak_pressure_bar": "a peak of",
    "late_flow_ml_s": "a last flow of",
}


def _words_of(want: Want) -> str:
    unit = UNITS.get(want.figure, "s")
    name = NAMES[want.figure]
    if want.at is not None:
        return f"{name} {want.at:g} {unit}"
    return f"{name} {want.at_least:g} to {want.at_most:g} {unit}"
