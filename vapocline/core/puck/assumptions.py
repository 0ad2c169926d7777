"""What a forecast takes for what nobody has said of the set-up, in words."""

from __future__ import annotations

from vapocline.core.puck.constants import CONSTANTS
from vapocline.core.puck.parameters import REFERENCE_BASKET_ML, parameters_for
from vapocline.core.puck.plan import Setup


def assumed(setup: Setup) -> list[str]:
    """Each assumption in a sentence, the weightiest first; none for a dry run on a disc."""
    if setup.insert:
        return []
    p = parameters_for(setup)
    said = []
    if not setup.dialled_in:
        said.append(
            "This coffee was never dialled in with this grinder here: how much water the puck "
            "passes, how fast it gives off and how it follows the grind are wide open."
        )
    if setup.basket_volume_ml is None:
        said.append(
            f"The basket's volume is not known: {REFERENCE_BASKET_ML:.0f} mL, which leaves "
            f"{p.head_free_ml:.0f} mL above the puck."
        )
    if setup.fines_pct is None:
        share = 100 * CONSTANTS.fines_share
        said.append(f"The grinder's share of fines is not known: {share:.0f} % at 300 µm.")
    if setup.machine.boiler_ml is None:
        said.append(f"The boiler is not known: water stays at {setup.water_c:g} °C.")
    return said
