"""Plans: a setup and a profile together, as written in `vapocline/plan` documents."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field
from pydantic_core import PydanticCustomError

from vapocline.core.base.document import (
    Document,
    Versioned,
    nested_parts_changed,
    unknown_fields_in_place,
)
from vapocline.core.base.quantities import (
    BasketDiameterMm,
    BasketVolumeMl,
    CremaMlPerG,
    DensityGMl,
    DoseG,
    DoseSpread,
    FinesPct,
    GrindUm,
    PuckStartC,
    RestDays,
    SizeSpread,
    Unevenness,
    WaterC,
)
from vapocline.core.coffee.basket import BasketShape
from vapocline.core.coffee.coffee import Process, Roast
from vapocline.core.machine.machine import REFERENCE, Machine
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.knowledge import Knowledge

BUILT_IN = {"reference": REFERENCE}
MOST_MEMBERS = 1000
MEMBERS = 200  # behind a range by default: quick enough to follow a change
Members = Annotated[int, Field(ge=1, le=MOST_MEMBERS)]


def _built_in(value: Any) -> Any:
    """A built-in machine's name as that machine."""
    if not isinstance(value, str):
        return value
    if value not in BUILT_IN:
        raise PydanticCustomError(
            "machine", "machine", {"accepted": f"a machine document, or {', '.join(BUILT_IN)}"}
        )
    return BUILT_IN[value]


class Setup(Document):
    """Coffee, dose, grind, basket, water and machine: everything but the profile.

    `grind_um` is a nominal size on our scale, 300 for a usual espresso: no sieve's and no
    surface's, which lies near a tenth of it. `basket_volume_ml`, `fines_pct` (share of the dose in
    fines at 300 µm), `density_g_ml` and `crema_ml_per_g` stand in for the model's own where they
    are known. `grind_spread` is how far the size itself may be off, one standard deviation of its
    logarithm, `mix_spread` the same of this dose alone, where what stayed in the grinder went in
    with it, and `dose_spread` the dose: 0 for one that was weighed. `dialled_in` says whether
    this coffee was pulled with this grinder before: without, the ranges are wide. `knowledge` is
    what their shots taught, instead of either. With `insert` a drilled disc takes the puck's place:
    for a dry run without coffee.
    """

    dose_g: DoseG
    grind_um: GrindUm = 300
    grind_spread: SizeSpread = 0
    mix_spread: SizeSpread = 0
    dose_spread: DoseSpread = 0
    roast: Roast = "medium"
    rest_days: RestDays = 12
    process: Process = "unknown"
    decaf: bool = False
    blend: bool = False
    basket_diameter_mm: BasketDiameterMm = 58.5
    basket_shape: BasketShape = "straight"
    basket_volume_ml: BasketVolumeMl | None = None
    fines_pct: FinesPct | None = None
    water_c: WaterC = 93
    puck_start_c: PuckStartC = 45
    unevenness: Unevenness = 0.12
    density_g_ml: DensityGMl | None = None
    crema_ml_per_g: CremaMlPerG | None = None
    dialled_in: bool = True
    knowledge: Knowledge | None = None
    insert: bool = False
    machine: Annotated[Machine, BeforeValidator(_built_in)] = REFERENCE


class Plan(Versioned):
    """What a prediction needs. `members` runs give the ranges; the same `seed` gives the same."""

    UPGRADES = (unknown_fields_in_place, *(nested_parts_changed,) * 6)

    format: Literal["vapocline/plan"] = "vapocline/plan"
    version: Literal[8] = 8
    setup: Setup
    members: Members = MEMBERS
    seed: Annotated[int, Field(ge=0, le=2**31 - 1)] = 1
    profile: Profile


def on(plan: Plan, machine: Machine, profile: Profile | None = None) -> Plan:
    """The plan on another machine, with another profile where one is given."""
    setup = plan.setup.model_copy(update={"machine": machine})
    return plan.model_copy(update={"setup": setup, "profile": profile or plan.profile})


def knowing(plan: Plan, knowledge: Knowledge | None) -> Plan:
    """The plan on a puck of which so much is known."""
    setup = plan.setup.model_copy(update={"knowledge": knowledge})
    return plan.model_copy(update={"setup": setup})


def reground(plan: Plan, by_um: float) -> Plan:
    """The plan ground coarser by some µm, finer by a negative number."""
    size = plan.setup.grind_um + by_um
    return plan.model_copy(update={"setup": plan.setup.model_copy(update={"grind_um": size})})
