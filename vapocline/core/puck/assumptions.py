"""What a forecast takes for what nobody has said of the set-up, in words."""

from __future__ import annotations

from vapocline.core.coffee.grinder import within_pct
from vapocline.core.puck.constants import CONSTANTS
from vapocline.core.puck.parameters import REFERENCE_BASKET_ML, head_free_ml
from vapocline.core.puck.plan import Setup

WIDE = (
    "wide ranges, as this coffee is not dialled in with this grinder here: how much water the puck "
    "passes, how fast it gives off, and how both follow the grind"
)


def assumed(setup: Setup) -> list[str]:
    """Each assumption in a phrase, the weightiest first; none for a dry run on a disc."""
    if setup.insert:
        return []
    said = [] if setup.dialled_in or setup.knowledge is not None else [WIDE]
    if setup.grind_spread > 0 and _untaught(setup):
        within = within_pct(setup.grind_spread)
        said.append(f"a grind size known only to ± {within:.0f} %, as the grinder was not measured")
    if setup.mix_spread > 0:
        said.append("a dose mixed with what was in the grinder from another setting")
    if setup.basket_volume_ml is None:
        left = head_free_ml(setup)
        said.append(
            f"a basket of {REFERENCE_BASKET_ML:.0f} mL, with {left:.0f} mL left above the puck"
        )
    if setup.fines_pct is None:
        said.append(f"a grinder with {100 * CONSTANTS.fines_share:.0f} % fines at 300 µm")
    if setup.machine.boiler_ml is None:
        said.append("water that stays as warm as set, as the boiler is not described")
    return said


def _untaught(setup: Setup) -> bool:
    """Whether no shot has said how this coffee flows by this grinder."""
    return setup.knowledge.shots == 0 if setup.knowledge is not None else not setup.dialled_in
