"""Profiles to start from, with numbers of our own."""

from __future__ import annotations

from vapocline.core.profile import (
    FlowCommand,
    Limit,
    Phase,
    PressureAboveExit,
    PressureCommand,
    Profile,
    SecondsExit,
    Stop,
)

LONGEST_S = 90.0


def steady_nine(name: str, yield_g: float) -> Profile:
    """The plainest start: fill until the puck pushes back, then hold nine bar to the weight."""
    return Profile(
        name=name,
        note="Fill gently until 2 bar, then hold nine to the weight. A baseline to vary from.",
        stop=Stop(cup_g=yield_g, time_s=LONGEST_S),
        phases=(
            Phase(
                name="Fill",
                kind="fill",
                command=FlowCommand(from_=6, to=6),
                limit=Limit(pressure_bar=4),
                exits=(PressureAboveExit(value=2), SecondsExit(value=12)),
            ),
            Phase(
                name="Ramp",
                kind="ramp",
                command=PressureCommand(from_=2, to=9),
                over=2,
                exits=(SecondsExit(value=2),),
            ),
            Phase(
                name="Hold",
                kind="hold",
                command=PressureCommand(from_=9, to=9),
                exits=(SecondsExit(value=60),),
            ),
        ),
    )
