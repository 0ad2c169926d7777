"""The styles to start from, with names and numbers of our own; flows are for 18 g.

Each says what it is for and what to expect, how it is written, and what is solved for the puck at
hand: the grind that suits it, and the numbers of its own that its wants decide.
"""

from __future__ import annotations

from dataclasses import dataclass

from vapocline.core.coffee.coffee import Roast
from vapocline.core.plan.goal import Want
from vapocline.core.plan.styles.building import (
    Build,
    bloom,
    filter_like,
    gentle,
    hard,
    level,
    long,
    slow,
    soak,
    sprung,
    steady,
)


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
    gist: str  # what sets it apart, after its name
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


STYLES: tuple[Style, ...] = (
    Style(
        key="steady-nine",
        name="Steady nine",
        gist="the plainest, to compare others with",
        purpose="The plainest shot: fill, then one pressure to the weight. To vary from.",
        roasts="medium to dark",
        drink="1 : 2, straight or in milk",
        expect="Full and loud. Flow climbs as the puck wears, so the end runs fast.",
        ratios=(1.5, 2.6),
        ratio=2.0,
        time_s=27,
        peak_bar=9,
        build=steady,
        suits=("medium", "dark"),
        against="Full pressure on a worn puck runs fast and harsh: others let it fall.",
        schools=(STOPPING,),
    ),
    Style(
        key="soak-then-press",
        name="Soak then press",
        gist="wets the whole puck before it presses",
        purpose="Wet the whole puck at low pressure until it drips, then press as usual.",
        roasts="light to medium",
        drink="1 : 2 to 1 : 2.5",
        expect="Rounder, more even, a little more out of the coffee; forgives uneven packing.",
        ratios=(1.6, 2.8),
        ratio=2.2,
        time_s=38,
        peak_bar=8.5,
        build=soak,
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
        gist="fills slowly, for a finer grind",
        purpose="Low flow until the puck is through, then a short press, ground finer.",
        roasts="light",
        drink="1 : 2 to 1 : 3",
        expect="Clear and sweet, less bite; pressure no longer reaches its usual peak at once.",
        ratios=(1.8, 3.2),
        ratio=2.4,
        time_s=40,
        peak_bar=8,
        build=slow,
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
        gist="lets the gas go before it presses",
        purpose="Wet the puck, rest it with the pump off until its gas has left, then press.",
        roasts="light and very fresh",
        drink="1 : 2.2 to 1 : 3",
        expect="More out of the coffee, an open and faster end; long from pump on.",
        ratios=(1.8, 3.2),
        ratio=2.4,
        time_s=33,
        peak_bar=8,
        build=bloom,
        suits=("light", "medium"),
        against="A resting puck cools and cracks: others soak it under pressure.",
        fresh=True,
        schools=(SOAKING, LIGHT),
    ),
    Style(
        key="spring-decline",
        name="Spring decline, one spring",
        gist="falls gently with the cup",
        purpose="Soak, then let one spring press: pressure falls with the cup.",
        roasts="medium to dark",
        drink="1 : 1.8 to 1 : 2.2",
        expect="Soft and syrupy, a calm end.",
        ratios=(1.4, 2.4),
        ratio=2.0,
        time_s=34,
        peak_bar=7.2,
        build=sprung(7.5, 3),
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
        gist="starts harder, then falls with the cup",
        purpose="The same with both springs: a harder start that falls as far.",
        roasts="light to medium",
        drink="1 : 2",
        expect="More force early, when the puck resists most, and still a calm end.",
        ratios=(1.6, 2.6),
        ratio=2.0,
        time_s=30,
        peak_bar=9,
        build=sprung(9.5, 4.5),
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
        gist="presses at once, then eases off",
        purpose="Press hard at once, then fall so that the flow does not run away.",
        roasts="light to medium",
        drink="1 : 2 to 1 : 2.5",
        expect="Much out early; level flow and little harshness late.",
        ratios=(1.6, 2.8),
        ratio=2.1,
        time_s=30,
        peak_bar=9,
        build=hard,
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
        gist="stays calm, under about six bar",
        purpose="Never above about six bar, a little coarser, for a calm even shot.",
        roasts="dark, or very fresh",
        drink="1 : 2 to 1 : 2.5",
        expect="Clear and mild, less crema; thin if it runs too fast.",
        ratios=(1.6, 2.8),
        ratio=2.2,
        time_s=31,
        peak_bar=6,
        build=gentle,
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
        gist="holds the flow, whatever the puck does",
        purpose="Hold the flow and let the pressure find itself, under a limit.",
        roasts="medium",
        drink="1 : 2 to 1 : 2.5",
        expect="Pressure peaks, then falls by itself as the puck wears; time hardly moves.",
        ratios=(1.6, 2.8),
        ratio=2.2,
        time_s=30,
        peak_bar=8.3,
        build=level,
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
        gist="takes much out, thin and clear",
        purpose="Coarse and far, 1 : 5 and beyond, with pressure that falls all the way.",
        roasts="light",
        drink="1 : 4 to 1 : 6, as a long cup",
        expect="Much taken out and thin on the tongue: tea-like, clear.",
        ratios=(3.5, 6.5),
        ratio=5.0,
        time_s=38,
        peak_bar=7.5,
        build=long,
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
        gist="hardly presses at all",
        purpose="Hardly any pressure and a very coarse grind: a strong filter from the machine.",
        roasts="light",
        drink="1 : 6 to 1 : 8",
        expect="No crema, low strength, long; what is in the cup is clarity.",
        ratios=(5, 9),
        ratio=7.0,
        time_s=60,
        peak_bar=2,
        build=filter_like,
        suits=("light", "light"),
        against="Body is what the machine is for, others say.",
        schools=(LOW, AXIS),
    ),
)  # fmt: skip
