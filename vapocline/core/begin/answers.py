"""What a newcomer says of their bench, a part at a time. A part that is None was not answered."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Literal, Self

from pydantic import Field, StringConstraints, ValidationError, model_validator
from pydantic_core import PydanticCustomError

from vapocline.core.base.amounts import grams
from vapocline.core.base.document import Document, Name
from vapocline.core.base.problems import problems_in
from vapocline.core.base.quantities import (
    BagG,
    BarPerKg,
    BasketDiameterMm,
    DoseG,
    GrindSetting,
    PressureBar,
    PumpBar,
    Ratio,
    ReliefBar,
    StrokeMl,
)
from vapocline.core.coffee.coffee import Roast
from vapocline.core.machine.machine import (
    BothLoops,
    Control,
    FlowLoop,
    HandLever,
    Machine,
    PressureLoop,
    ProgramLimits,
    SoftStart,
    Spring,
    SpringLever,
    StagedProgram,
    ValveAhead,
)
from vapocline.core.profile.profile import MOST_PHASES

# What can be set while a shot runs, as the drawings of a hand at the machine show it.
Hand = Literal[
    "pressure", "flow", "both", "valve", "spring-lever", "hand-lever", "stages", "switch"
]
PLUMBED_BAR = 3.0  # of a usual feed
USUAL_RELIEF_BAR, LEVER_RELIEF_BAR = 11.0, 13.0
USUAL_TURNS, USUAL_FREE_FLOW_ML_S = (0.0, 1.0, 2.0, 3.0), (0.0, 2.4, 6.0, 8.0)
USUAL_PUMP_BAR, USUAL_SPRING_BAR, USUAL_SPRING_END_BAR = 9.0, 8.5, 4.0
USUAL_STROKE_ML, USUAL_BAR_PER_KG, USUAL_STAGES = 60.0, 0.4, 3
SECOND_SPRING_BAR = 3.0  # that a second spring adds at most, where nobody has measured it
FINEST_UM, ESPRESSO_UM, COARSEST_UM = 160.0, 300.0, 900.0
USUAL_DOSE_G, USUAL_RATIO = 18.0, 2.0


class MachineAnswer(Document):
    """What a machine lets one set, its feed, whether it is connected by a wire and where it answers
    (empty: a simulated one stands in), and what only its kind needs; None is what such machines
    usually have."""

    name: Name | None = None
    hand: Hand = "both"
    feed: Literal["tank", "plumbed"] = "tank"
    wired: bool = True
    address: Annotated[str, StringConstraints(strip_whitespace=True, max_length=200)] = ""
    gauge: bool = True
    relief_bar: ReliefBar | None = None
    pump_bar: PumpBar | None = None
    springs: Literal[1, 2] = 1
    top_bar: PressureBar | None = None
    end_bar: PressureBar | None = None
    stroke_ml: StrokeMl | None = None
    bar_per_kg: BarPerKg | None = None
    stages: Annotated[int, Field(ge=1, le=MOST_PHASES)] | None = None
    holds: Literal["pressure", "flow"] = "pressure"

    @model_validator(mode="after")
    def _possible(self) -> Self:
        try:
            machine_of(self)
        except ValidationError as error:
            first = problems_in(error.errors())[0]
            field = first.field.rpartition(".")[2]
            known = field if field in type(self).model_fields else "hand"
            raise _refused(known, first.got, first.accepted) from None
        return self


class GrinderAnswer(Document):
    """A grinder's dial: which way is coarser, its ends, and where espresso usually lies."""

    name: Name | None = None
    bigger_is: Literal["coarser", "finer"] = "coarser"
    lowest: GrindSetting = 0
    highest: GrindSetting = 40
    espresso: GrindSetting = 12
    stepped: bool = False

    @model_validator(mode="after")
    def _within_its_ends(self) -> Self:
        if self.lowest >= self.highest:
            raise _refused("highest", f"{self.highest:g}", f"more than {self.lowest:g}, the lowest")
        if not self.lowest <= self.espresso <= self.highest:
            accepted = f"a number from {self.lowest:g} to {self.highest:g}, as on the dial"
            raise _refused("espresso", f"{self.espresso:g}", accepted)
        return self


class CoffeeAnswer(Document):
    """What is in the hopper. Without a date it is not known when it was roasted."""

    name: Name | None = None
    roast: Roast = "medium"
    roasted_on: date | None = None
    blend: bool = False
    bag_g: BagG | None = None


class BasketAnswer(Document):
    """The basket by its diameter, what goes into it, and how that is measured."""

    diameter_mm: BasketDiameterMm = 58.5
    dose_g: DoseG = USUAL_DOSE_G
    weighed: bool = True


class DrinkAnswer(Document):
    """The drink by its ratio, and how it is served."""

    ratio: Ratio = USUAL_RATIO
    milk: bool = False


class Answers(Document):
    """All that was said so far."""

    machine: MachineAnswer | None = None
    grinder: GrinderAnswer | None = None
    coffee: CoffeeAnswer | None = None
    basket: BasketAnswer | None = None
    drink: DrinkAnswer | None = None

    @model_validator(mode="after")
    def _drink_that_exists(self) -> Self:
        _yield_within(self)
        return self

    @property
    def dose_g(self) -> float:
        """Of ground coffee, g; a usual dose where nothing was said."""
        return USUAL_DOSE_G if self.basket is None else self.basket.dose_g

    @property
    def yield_g(self) -> float:
        """Of drink, g."""
        ratio = USUAL_RATIO if self.drink is None else self.drink.ratio
        return round(self.dose_g * ratio, 1)


def _yield_within(answers: Answers) -> None:
    if not 5 <= answers.yield_g <= 400:
        got = f"{grams(answers.yield_g)} of drink"
        raise _refused("drink.ratio", got, "a ratio that makes 5 to 400 g of this dose")


def machine_of(answer: MachineAnswer) -> Machine:
    """The machine that an answer describes. Raises pydantic's errors where there can be none."""
    levers = answer.hand in ("spring-lever", "hand-lever")
    relief = _or_usual(answer.relief_bar, LEVER_RELIEF_BAR if levers else USUAL_RELIEF_BAR)
    stages = USUAL_STAGES if answer.stages is None else answer.stages
    return Machine(
        name=answer.name or "my machine",
        control=_control_of(answer, relief),
        relief_bar=relief,
        floor_bar=PLUMBED_BAR if answer.feed == "plumbed" and not levers else 0,
        gauge_at="pump" if answer.gauge else "none",
        program=ProgramLimits(stages=stages if answer.hand == "stages" else None),
    )


def _control_of(answer: MachineAnswer, relief_bar: float) -> Control:  # noqa: PLR0911 - one a kind
    match answer.hand:
        case "pressure":
            return PressureLoop()
        case "flow":
            return FlowLoop()
        case "both":
            return BothLoops()
        case "valve":
            return ValveAhead(
                pump_bar=_or_usual(answer.pump_bar, USUAL_PUMP_BAR),
                turns=USUAL_TURNS,
                free_flow_ml_s=USUAL_FREE_FLOW_ML_S,
            )
        case "spring-lever":
            return _spring_lever(answer)
        case "hand-lever":
            return HandLever(
                bar_per_kg=_or_usual(answer.bar_per_kg, USUAL_BAR_PER_KG),
                stroke_ml=_or_usual(answer.stroke_ml, USUAL_STROKE_ML),
            )
        case "stages":
            return StagedProgram(holds=answer.holds)
        case "switch":
            return SoftStart(pump_bar=_or_usual(answer.pump_bar, min(USUAL_PUMP_BAR, relief_bar)))


def _spring_lever(answer: MachineAnswer) -> SpringLever:
    top = _or_usual(answer.top_bar, USUAL_SPRING_BAR)
    end = _or_usual(answer.end_bar, min(USUAL_SPRING_END_BAR, top))
    first = Spring(top_bar=top, end_bar=end)
    second = Spring(top_bar=SECOND_SPRING_BAR, end_bar=1.0)
    springs = (first,) if answer.springs == 1 else (first, second)
    return SpringLever(springs=springs, stroke_ml=_or_usual(answer.stroke_ml, USUAL_STROKE_ML))


def _or_usual(said: float | None, usual: float) -> float:
    """What was said, 0 too, or the usual value."""
    return usual if said is None else said


def dial_of(answer: GrinderAnswer) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """Settings, rising, and the nominal size at each, µm: espresso where it usually lies, and from
    there to either end as such grinders go."""
    fine, coarse = answer.lowest, answer.highest
    if answer.bigger_is == "finer":
        fine, coarse = coarse, fine
    near, far = abs(answer.espresso - fine), abs(coarse - answer.espresso)
    points = {answer.espresso: ESPRESSO_UM}
    if near > 0:
        points[fine] = FINEST_UM
    if far > 0:
        slope = (ESPRESSO_UM - FINEST_UM) / near if near > 0 else COARSEST_UM
        points[coarse] = min(COARSEST_UM, ESPRESSO_UM + slope * far)
    settings = tuple(sorted(points))
    return settings, tuple(points[one] for one in settings)


def _refused(field: str, got: str, accepted: str) -> PydanticCustomError:
    return PydanticCustomError(
        "answer", "answer", {"field": field, "got": got, "accepted": accepted}
    )
