"""Small builders of plans, so that a test says only what matters to it."""

from __future__ import annotations

from typing import Any, get_args

from vapocline.core.machine.commands import levels_of
from vapocline.core.machine.machine import Machine, SoftStart
from vapocline.core.profile.profile import (
    CupExit,
    Exit,
    FirstDripExit,
    FlowCommand,
    Limit,
    OffCommand,
    Phase,
    PressureAboveExit,
    PressureCommand,
    Profile,
    SecondsExit,
    Stop,
    ValveCommand,
    WaterExit,
)
from vapocline.core.puck.plan import Plan, Setup
from vapocline.core.puck.predict import Prediction, predict
from vapocline.core.pull.readiness import Check

EVERY_CHECK: frozenset[Check] = frozenset(get_args(Check))
STRONG = Machine(name="Strong", relief_bar=15, pump_max_bar=20, top_flow_ml_s=12)


def seconds(value: float) -> SecondsExit:
    return SecondsExit(value=value)


def phase(command: Any, *exits: Exit, **rest: Any) -> Phase:
    return Phase(
        **{"name": "Phase", "kind": "hold", "command": command, "exits": exits or (seconds(120),)}
        | rest
    )


def pressure(start: float, end: float | None = None, *exits: Exit, **rest: Any) -> Phase:
    to = start if end is None else end
    return phase(PressureCommand(from_=start, to=to), *exits, **rest)


def flow(start: float, end: float | None = None, *exits: Exit, **rest: Any) -> Phase:
    to = start if end is None else end
    return phase(FlowCommand(from_=start, to=to), *exits, **rest)


def valve(turns: float, *exits: Exit, **rest: Any) -> Phase:
    return phase(ValveCommand(from_=turns, to=turns), *exits, **rest)


def off(*exits: Exit, **rest: Any) -> Phase:
    return phase(OffCommand(), *exits, **rest)


def profile(*phases: Phase, cup_g: float | None = 36, **stop: Any) -> Profile:
    return Profile(name="Trial", phases=phases, stop=Stop(**{"cup_g": cup_g, "time_s": 110} | stop))


def plan(
    *phases: Phase, cup_g: float | None = 36, stop: dict[str, Any] | None = None, **setup: Any
) -> Plan:
    return Plan(
        members=1,
        setup=Setup(**{"dose_g": 18, "machine": STRONG} | setup),
        profile=profile(*phases, cup_g=cup_g, **(stop or {})),
    )


def predicted(*phases: Phase, **rest: Any) -> Prediction:
    return predict(plan(*phases, **rest))


def flat(bar: float = 9, **rest: Any) -> Prediction:
    """The plainest shot: one pressure to the weight."""
    return predicted(pressure(bar), **rest)


def soaked(flow_ml_s: float, **rest: Any) -> tuple[Phase, Phase]:
    """Fill at 4 mL/s until 4 bar, then hold a flow."""
    return (
        flow(4, None, PressureAboveExit(value=4), seconds(20)),
        flow(flow_ml_s, **rest),
    )


def bloomed() -> tuple[Phase, ...]:
    """Fill to the first drip, rest 30 s, rise in 5 s, press."""
    return (
        flow(4, None, FirstDripExit(), seconds(20), limit=Limit(pressure_bar=6)),
        off(seconds(30), kind="bloom"),
        pressure(1, 9, seconds(5), over=5),
        pressure(9),
    )


def until_cup(grams: float) -> CupExit:
    return CupExit(value=grams)


def until_water(millilitres: float) -> WaterExit:
    return WaterExit(value=millilitres)


def held_on(machine: Machine, time_s: float = 200) -> Profile:
    """One level for so long, in a machine's own terms."""
    control, top = next(iter(levels_of(machine).items()))
    level = top if isinstance(machine.control, SoftStart) else round(0.6 * top, 1)
    return Profile.model_validate(
        {
            "name": "Held",
            "stop": {"cup_g": None, "time_s": time_s},
            "phases": [
                {
                    "name": "Hold",
                    "kind": "hold",
                    "command": {"control": control, "from": level, "to": level},
                    "exits": [{"when": "seconds", "value": time_s}],
                }
            ],
        }
    )
