"""The phases of each style: fills, soaks, presses and falls as a machine's spelling writes them."""

from __future__ import annotations

import math
from collections.abc import Callable

from vapocline.core.plan.styles.spelling import Spelling
from vapocline.core.profile.profile import CupExit, FirstDripExit, Phase, PressureAboveExit
from vapocline.core.puck.constants import CONSTANTS
from vapocline.core.puck.parameters import gas_left_ml_g
from vapocline.core.puck.plan import Setup

Build = Callable[[Spelling, float], tuple[Phase, ...]]


def filling(write: Spelling, flow: float = 6, until_bar: float = 2, top_bar: float = 4) -> Phase:
    until = PressureAboveExit(value=until_bar)
    return write.flowing("Fill", "fill", flow, until, top_bar=top_bar, longest_s=12)


def steady(write: Spelling, _yield_g: float) -> tuple[Phase, ...]:
    return (
        filling(write),
        write.pressing("Ramp", "ramp", 2, 9, over=2, longest_s=2),
        write.pressing("Hold", "hold", 9),
    )


def soak(write: Spelling, _yield_g: float) -> tuple[Phase, ...]:
    return (
        filling(write, flow=5, top_bar=3),
        write.pressing("Soak", "pre-infusion", 2.5, None, CupExit(value=1.5), longest_s=25),
        write.pressing("Ramp", "ramp", 2.5, 8.5, over=3, shape="smooth", longest_s=3),
        write.pressing("Press", "hold", 8.5),
    )


def slow(write: Spelling, _yield_g: float) -> tuple[Phase, ...]:
    return (
        write.flowing("Saturate", "pre-infusion", 2.2, CupExit(value=2), top_bar=6, longest_s=45),
        write.pressing("Press", "hold", 8),
    )


RESTED_ML_G = 0.6  # of gas, after which a longer rest brings little
SHORTEST_REST_S, LONGEST_REST_S = 12.0, 40.0


def rest_for_gas_s(setup: Setup) -> float:
    """How long wetted grains rest until little gas is left: it leaves by itself while nothing
    presses."""
    gas = gas_left_ml_g(setup.roast, setup.rest_days, decaf=setup.decaf, blend=setup.blend)
    wanted = CONSTANTS.gas_tau_s * math.log(max(gas, 0.7) / RESTED_ML_G)
    return min(LONGEST_REST_S, max(SHORTEST_REST_S, wanted))


def bloom(write: Spelling, _yield_g: float) -> tuple[Phase, ...]:
    rest_s = round(rest_for_gas_s(write.setup))
    return (
        write.flowing("Wet", "fill", 4, FirstDripExit(), top_bar=4, longest_s=15),
        write.resting("Rest", rest_s),
        write.pressing("Rise", "ramp", 1, 8, over=5, longest_s=5),
        write.pressing("Press", "hold", 8),
    )


def sprung(top_bar: float, end_bar: float) -> Build:
    def build(write: Spelling, yield_g: float) -> tuple[Phase, ...]:
        return (
            filling(write, flow=5, top_bar=2.5),
            write.pressing("Soak", "pre-infusion", 2, None, FirstDripExit(), longest_s=15),
            write.pressing(
                "Spring", "decline", top_bar, end_bar, along="cup", over=yield_g, shape="spring",
                longest_s=80,
            ),
        )  # fmt: skip

    return build


def hard(write: Spelling, yield_g: float) -> tuple[Phase, ...]:
    return (
        filling(write, flow=8, until_bar=5, top_bar=9),
        write.pressing("Peak", "hold", 9.5, longest_s=4),
        write.pressing("Fall", "decline", 9.5, 5, along="cup", over=yield_g, longest_s=70),
    )


def gentle(write: Spelling, _yield_g: float) -> tuple[Phase, ...]:
    return (
        filling(write, flow=4, top_bar=3),
        write.pressing("Rise", "ramp", 2, 6, over=4, shape="smooth", longest_s=4),
        write.pressing("Hold", "hold", 6, longest_s=80),
    )


def level(write: Spelling, yield_g: float) -> tuple[Phase, ...]:
    fill = filling(write, flow=4, until_bar=4, top_bar=6)
    if write.by in ("flow-loop", "both-loops", "valve"):
        return fill, write.flowing("Level", "hold", 2, top_bar=9.5, longest_s=70)
    # Without flow control the pressure falls so that the flow stays level.
    return (
        fill,
        write.pressing("Level", "decline", 8, 5, along="cup", over=yield_g, longest_s=80),
    )


def long(write: Spelling, yield_g: float) -> tuple[Phase, ...]:
    return (
        filling(write),
        write.pressing("Fall", "decline", 8, 3.5, along="cup", over=yield_g, longest_s=80),
    )


def filter_like(write: Spelling, _yield_g: float) -> tuple[Phase, ...]:
    return (
        write.flowing("Wet", "pre-infusion", 3, FirstDripExit(), top_bar=2, longest_s=20),
        write.resting("Rest", round(rest_for_gas_s(write.setup))),
        write.flowing("Pour", "hold", 3.2, top_bar=3, longest_s=100),
    )
