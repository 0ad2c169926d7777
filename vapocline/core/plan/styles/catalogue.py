"""The styles to start from, with names and numbers of our own; flows are for 18 g.

Each says what it is for and what to expect, how it is written, and what is solved for the puck at
hand: the grind that suits it, and the numbers of its own that its wants decide.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from vapocline.core.coffee.coffee import Roast
from vapocline.core.plan.goal import Want
from vapocline.core.plan.styles.spelling import Spelling
from vapocline.core.profile.profile import CupExit, FirstDripExit, Phase, PressureAboveExit
from vapocline.core.puck.constants import CONSTANTS
from vapocline.core.puck.parameters import gas_left_ml_g

Build = Callable[[Spelling, float], tuple[Phase, ...]]


@dataclass(frozen=True)
class School:
    """A question on which practitioners disagree, and what each side holds."""

    question: str
    positions: tuple[str, ...]


FALLING = School(
    "Pressure that falls at the end",
    (
        "takes more out, with more body",
        "trims harsh flavours",
        "keeps brightness",
        "lowers acidity",
    ),
)
SOAKING = School(
    "A longer pre-infusion",
    (
        "gives more body",
        "is lighter and cleaner when overlong, and takes more out",
        "makes little difference, and brightens",
        "mellows",
    ),
)
LOW = School(
    "Low pressure",
    ("is thin", "is gentle and clear, and slower", "is faster in very fresh coffee"),
)
LIGHT = School(
    "Light roasts",
    ("loosen early and want falling pressure", "want longer and more pressure"),
)
STOPPING = School("When to stop", ("by weight", "by colour", "by volume", "when the plan ends"))
AXIS = School(
    "What to count along",
    ("time", "water pumped, so that a finer grind only takes longer"),
)


@dataclass(frozen=True)
class AimMove:
    """One number of a phase that may move: level, from, to, over, limit, or an exit's name."""

    phase: str
    what: str
    low: float
    high: float


@dataclass(frozen=True)
class Aim:
    """What is wanted of the shot, and the numbers that may move for it."""

    wants: tuple[Want, ...]
    moves: tuple[AimMove, ...]


@dataclass(frozen=True)
class Style:
    """One way to pull: its words, its own ratio and time, how it is written, what is solved."""

    key: str
    name: str
    purpose: str
    roasts: str
    drink: str
    expect: str
    ratios: tuple[float, float]  # drinks it is meant for; beyond them it brings its own
    ratio: float
    time_s: float  # what the grind is for, rests not counted, where it decides the flow
    peak_bar: float  # and where the flow is commanded, so that the grind decides the pressure
    build: Build
    suits: tuple[Roast, Roast]  # the lightest and the darkest
    against: str  # what others hold against it
    fresh: bool = False  # whether it lets the gas of a fresh coffee out first
    aims: tuple[Aim, ...] = ()
    schools: tuple[School, ...] = ()


def _fill(write: Spelling, flow: float = 6, until_bar: float = 2, top_bar: float = 4) -> Phase:
    until = PressureAboveExit(value=until_bar)
    return write.flowing("Fill", "fill", flow, until, top_bar=top_bar, longest_s=12)


def _steady(write: Spelling, _yield_g: float) -> tuple[Phase, ...]:
    return (
        _fill(write),
        write.pressing("Ramp", "ramp", 2, 9, over=2, longest_s=2),
        write.pressing("Hold", "hold", 9),
    )


def _soak(write: Spelling, _yield_g: float) -> tuple[Phase, ...]:
    return (
        _fill(write, flow=5, top_bar=3),
        write.pressing("Soak", "pre-infusion", 2.5, None, CupExit(value=1.5), longest_s=25),
        write.pressing("Ramp", "ramp", 2.5, 8.5, over=3, shape="smooth", longest_s=3),
        write.pressing("Press", "hold", 8.5),
    )


def _slow(write: Spelling, _yield_g: float) -> tuple[Phase, ...]:
    return (
        write.flowing("Saturate", "pre-infusion", 2.2, CupExit(value=2), top_bar=6, longest_s=45),
        write.pressing("Press", "hold", 8),
    )


RESTED_ML_G = 0.6  # of gas, after which a longer rest brings little


def _bloom(write: Spelling, _yield_g: float) -> tuple[Phase, ...]:
    setup = write.setup
    gas = gas_left_ml_g(setup.roast, setup.rest_days)
    # Gas leaves wetted grains by itself while nothing presses: rest until little is left.
    wanted = CONSTANTS.gas_tau_s * math.log(max(gas, 0.7) / RESTED_ML_G)
    rest_s = round(min(40.0, max(12.0, wanted)))
    return (
        write.flowing("Wet", "fill", 4, FirstDripExit(), top_bar=4, longest_s=15),
        write.resting("Rest", rest_s),
        write.pressing("Rise", "ramp", 1, 8, over=5, longest_s=5),
        write.pressing("Press", "hold", 8),
    )


def _sprung(top_bar: float, end_bar: float) -> Build:
    def build(write: Spelling, yield_g: float) -> tuple[Phase, ...]:
        return (
            _fill(write, flow=5, top_bar=2.5),
            write.pressing("Soak", "pre-infusion", 2, None, FirstDripExit(), longest_s=15),
            write.pressing(
                "Spring", "decline", top_bar, end_bar, along="cup", over=yield_g, shape="spring",
                longest_s=80,
            ),
        )  # fmt: skip

    return build


def _hard(write: Spelling, yield_g: float) -> tuple[Phase, ...]:
    return (
        _fill(write, flow=8, until_bar=5, top_bar=9),
        write.pressing("Peak", "hold", 9.5, longest_s=4),
        write.pressing("Fall", "decline", 9.5, 5, along="cup", over=yield_g, longest_s=70),
    )


def _gentle(write: Spelling, _yield_g: float) -> tuple[Phase, ...]:
    return (
        _fill(write, flow=4, top_bar=3),
        write.pressing("Rise", "ramp", 2, 6, over=4, shape="smooth", longest_s=4),
        write.pressing("Hold", "hold", 6, longest_s=80),
    )


def _level(write: Spelling, yield_g: float) -> tuple[Phase, ...]:
    fill = _fill(write, flow=4, until_bar=4, top_bar=6)
    if write.by in ("flow-loop", "both-loops", "valve"):
        return fill, write.flowing("Level", "hold", 2, top_bar=9.5, longest_s=70)
    # Without flow control the pressure falls so that the flow stays level.
    return (
        fill,
        write.pressing("Level", "decline", 8, 5, along="cup", over=yield_g, longest_s=80),
    )


def _long(write: Spelling, yield_g: float) -> tuple[Phase, ...]:
    return (
        _fill(write),
        write.pressing("Fall", "decline", 8, 3.5, along="cup", over=yield_g, longest_s=80),
    )


def _filter(write: Spelling, _yield_g: float) -> tuple[Phase, ...]:
    return (
        write.flowing("Wet", "pre-infusion", 3, FirstDripExit(), top_bar=2, longest_s=20),
        write.resting("Rest", 10),
        write.flowing("Pour", "hold", 3.2, top_bar=3, longest_s=100),
    )


STYLES: tuple[Style, ...] = (
    Style(
        key="steady-nine",
        name="Steady nine",
        purpose="The plainest shot: fill, then one pressure to the weight. To vary from.",
        roasts="medium to dark",
        drink="1 : 2, straight or in milk",
        expect="Full and loud. Flow climbs as the puck wears, so the end runs fast.",
        ratios=(1.5, 2.6),
        ratio=2.0,
        time_s=27,
        peak_bar=9,
        build=_steady,
        suits=("medium", "dark"),
        against="Full pressure on a worn puck runs fast and harsh: others let it fall.",
        schools=(STOPPING,),
    ),
    Style(
        key="soak-then-press",
        name="Soak then press",
        purpose="Wet the whole puck at low pressure until it drips, then press as usual.",
        roasts="light to medium",
        drink="1 : 2 to 1 : 2.5",
        expect="Rounder, more even, a little more out of the coffee; forgives uneven packing.",
        ratios=(1.6, 2.8),
        ratio=2.2,
        time_s=38,
        peak_bar=8.5,
        build=_soak,
        suits=("light", "medium"),
        against="Others find that a soak changes little, or makes an overlong one light.",
        aims=(
            Aim(
                wants=(Want(figure="shot_time_from_first_drip_s", at=18),),
                moves=(AimMove("Press", "level", 6, 9.5),),
            ),
        ),
        schools=(SOAKING,),
    ),
    Style(
        key="slow-saturate",
        name="Slow saturate",
        purpose="Low flow until the puck is through, then a short press, ground finer.",
        roasts="light",
        drink="1 : 2 to 1 : 3",
        expect="Clear and sweet, less bite; pressure no longer reaches its usual peak at once.",
        ratios=(1.8, 3.2),
        ratio=2.4,
        time_s=40,
        peak_bar=8,
        build=_slow,
        suits=("light", "medium-light"),
        against="A slow filling wets the top long before the bottom: others fill fast, then press.",
        aims=(
            Aim(
                wants=(Want(figure="first_drip_s", at=20),),
                moves=(AimMove("Saturate", "level", 1.2, 3.5),),
            ),
        ),
        schools=(SOAKING, LIGHT),
    ),
    Style(
        key="bloom",
        name="Bloom",
        purpose="Wet the puck, rest it with the pump off until its gas has left, then press.",
        roasts="light and very fresh",
        drink="1 : 2.2 to 1 : 3",
        expect="More out of the coffee, an open and faster end; long from pump on.",
        ratios=(1.8, 3.2),
        ratio=2.4,
        time_s=33,
        peak_bar=8,
        build=_bloom,
        suits=("light", "medium"),
        against="A resting puck cools and cracks: others soak it under pressure.",
        fresh=True,
        schools=(SOAKING, LIGHT),
    ),
    Style(
        key="spring-decline",
        name="Spring decline, one spring",
        purpose="Soak, then let one spring press: pressure falls with the cup.",
        roasts="medium to dark",
        drink="1 : 1.8 to 1 : 2.2",
        expect="Soft and syrupy, a calm end.",
        ratios=(1.4, 2.4),
        ratio=2.0,
        time_s=34,
        peak_bar=7.2,
        build=_sprung(7.5, 3),
        suits=("medium", "dark"),
        against="A fall takes longer to the weight and more out: some taste it as bitter.",
        aims=(
            Aim(
                wants=(Want(figure="late_flow_ml_s", at=1.5),),
                moves=(AimMove("Spring", "to", 1.5, 6.5),),
            ),
        ),
        schools=(FALLING,),
    ),
    Style(
        key="spring-decline-two",
        name="Spring decline, two springs",
        purpose="The same with both springs: a harder start that falls as far.",
        roasts="light to medium",
        drink="1 : 2",
        expect="More force early, when the puck resists most, and still a calm end.",
        ratios=(1.6, 2.6),
        ratio=2.0,
        time_s=30,
        peak_bar=9,
        build=_sprung(9.5, 4.5),
        suits=("light", "medium"),
        against="Light roasts want pressure held long, others say.",
        aims=(
            Aim(
                wants=(Want(figure="late_flow_ml_s", at=1.8),),
                moves=(AimMove("Spring", "to", 1.5, 7.5),),
            ),
        ),
        schools=(FALLING, LIGHT),
    ),
    Style(
        key="hard-start-falling",
        name="Hard start, falling",
        purpose="Press hard at once, then fall so that the flow does not run away.",
        roasts="light to medium",
        drink="1 : 2 to 1 : 2.5",
        expect="Much out early; level flow and little harshness late.",
        ratios=(1.6, 2.8),
        ratio=2.1,
        time_s=30,
        peak_bar=9,
        build=_hard,
        suits=("light", "medium"),
        against="A hard start opens channels: others rise gently.",
        aims=(
            Aim(
                wants=(Want(figure="late_flow_ml_s", at=1.9),),
                moves=(AimMove("Fall", "to", 1.5, 9),),
            ),
        ),
        schools=(FALLING, LIGHT),
    ),
    Style(
        key="gentle-low-pressure",
        name="Gentle low pressure",
        purpose="Never above about six bar, a little coarser, for a calm even shot.",
        roasts="dark, or very fresh",
        drink="1 : 2 to 1 : 2.5",
        expect="Clear and mild, less crema; thin if it runs too fast.",
        ratios=(1.6, 2.8),
        ratio=2.2,
        time_s=31,
        peak_bar=6,
        build=_gentle,
        suits=("medium-dark", "dark"),
        against="Low pressure is thin and slow: others grind coarser and press as usual.",
        fresh=True,
        aims=(
            Aim(
                wants=(Want(figure="shot_time_s", at=31),),
                moves=(AimMove("Hold", "level", 4, 7),),
            ),
        ),
        schools=(LOW,),
    ),
    Style(
        key="level-flow",
        name="Level flow",
        purpose="Hold the flow and let the pressure find itself, under a limit.",
        roasts="medium",
        drink="1 : 2 to 1 : 2.5",
        expect="Pressure peaks, then falls by itself as the puck wears; time hardly moves.",
        ratios=(1.6, 2.8),
        ratio=2.2,
        time_s=30,
        peak_bar=8.3,
        build=_level,
        suits=("medium-light", "medium-dark"),
        against="Held flow runs on through a channel unseen: others hold the pressure.",
        aims=(
            Aim(
                wants=(Want(figure="peak_pressure_bar", at_least=7.5, at_most=9.0),),
                moves=(AimMove("Level", "level", 1.2, 3.6),),
            ),
        ),
        schools=(FALLING, AXIS),
    ),
    Style(
        key="long-and-open",
        name="Long and open",
        purpose="Coarse and far, 1 : 5 and beyond, with pressure that falls all the way.",
        roasts="light",
        drink="1 : 4 to 1 : 6, as a long cup",
        expect="Much taken out and thin on the tongue: tea-like, clear.",
        ratios=(3.5, 6.5),
        ratio=5.0,
        time_s=38,
        peak_bar=7.5,
        build=_long,
        suits=("light", "light"),
        against="Others find it neither espresso nor filter: stop sooner, or brew one.",
        aims=(
            Aim(
                wants=(Want(figure="late_flow_ml_s", at=3.2),),
                moves=(AimMove("Fall", "to", 1, 7.5),),
            ),
        ),
        schools=(LIGHT, FALLING),
    ),
    Style(
        key="filter-like",
        name="Filter-like",
        purpose="Hardly any pressure and a very coarse grind: a strong filter from the machine.",
        roasts="light",
        drink="1 : 6 to 1 : 8",
        expect="No crema, low strength, long; what is in the cup is clarity.",
        ratios=(5, 9),
        ratio=7.0,
        time_s=60,
        peak_bar=2,
        build=_filter,
        suits=("light", "light"),
        against="Body is what the machine is for, others say.",
        schools=(LOW, AXIS),
    ),
)  # fmt: skip
