"""What was true when a shot was pulled, and where each number came from."""

from __future__ import annotations

from typing import Literal

from vapocline.core.base.document import Document, Name
from vapocline.core.base.quantities import DoseG, DoseToleranceG, GrindSetting, RetentionG
from vapocline.core.coffee.preparation import Preparation
from vapocline.core.coffee.water import Water
from vapocline.core.puck.plan import Setup

Source = Literal[
    "weighed", "set", "bench", "bag", "coffee", "grinder", "basket", "calibration", "default",
    "unknown",
]  # fmt: skip


class IntendedRecipe(Document):
    """The recipe before anything was weighed or set."""

    dose_g: DoseG
    grind_setting: GrindSetting | None = None
    dose_tolerance_g: DoseToleranceG = 0.2


class Sources(Document):
    """Where the numbers of the tamped set-up came from; `default` is the model's own value."""

    dose_g: Source = "unknown"
    grind_um: Source = "unknown"
    roast: Source = "unknown"
    rest_days: Source = "unknown"
    process: Source = "unknown"
    basket: Source = "unknown"
    water_c: Source = "unknown"
    density_g_ml: Source = "unknown"
    crema_ml_per_g: Source = "unknown"
    after_drip_g: Source = "unknown"


class RetainedGrounds(Document):
    """What was in the grinder from another setting and was not ground out before the dose."""

    retention_g: RetentionG
    grind_setting: GrindSetting


class Conditions(Document):
    """What was true at a pull. `tamped` is what was really in the basket, as far as anyone knows;
    `weighed` whether a scale was to follow the cup; `water` and `preparation` None where nobody
    said which."""

    simulated: bool
    wired: bool
    weighed: bool
    basket: Name | None = None
    water: Water | None = None
    preparation: Preparation | None = None
    retained_grounds: RetainedGrounds | None = None
    tamped: Setup
    intended: IntendedRecipe
    sources: Sources = Sources()
