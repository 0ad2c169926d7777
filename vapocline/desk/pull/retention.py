"""What is still in a grinder from the last dose, where that was of another setting or coffee."""

from __future__ import annotations

from typing import NamedTuple

from sqlalchemy.orm import Session

from vapocline.core.base.amounts import grams
from vapocline.core.base.problems import Refused
from vapocline.core.coffee.grinder import mixed_with
from vapocline.core.puck.plan import Setup
from vapocline.core.pull.conditions import RetainedGrounds
from vapocline.desk.bench.bench import Bench, grind_size
from vapocline.store import shots

SAME_SETTING = 0.005


class GrinderRetention(NamedTuple):
    """So many grams of a dose: in words, and its size, µm, None where it cannot be told."""

    retention_g: float
    words: str
    grind_setting: float
    grind_um: float | None

    def kept(self) -> RetainedGrounds:
        """As it is kept with the shot."""
        return RetainedGrounds(retention_g=self.retention_g, grind_setting=self.grind_setting)

    def mixed_into(self, setup: Setup) -> Setup:
        """A set-up whose dose was ground without grinding this out first."""
        if self.grind_um is None:
            return setup
        mix = mixed_with(setup.grind_um, self.grind_um, self.retention_g, setup.dose_g)
        return setup.model_copy(update={"grind_um": mix.grind_um, "mix_spread": mix.spread})


def retention_of(session: Session, bench: Bench, setting: float | None) -> GrinderRetention | None:
    """What the next dose at a setting meets; None where it is the same or nothing stays inside."""
    grinder = bench.grinder
    if grinder is None or setting is None or not grinder.retention_g:
        return None
    last = shots.newest_ground(session, grinder.id)
    if last is None or last.grind_setting is None:
        return None
    other = last.coffee_id != (bench.coffee.id if bench.coffee else None)
    reset = abs(last.grind_setting - setting) > SAME_SETTING
    if not (other or reset):
        return None
    of = f" of {last.coffee.name}" if other and last.coffee is not None else ""
    at = f" ground at {last.grind_setting:g}" if reset else ""
    try:
        size = grind_size(grinder, last.grind_setting)
    except Refused:  # its points were changed since
        size = None
    words = f"{grams(grinder.retention_g)}{of}{at}"
    return GrinderRetention(grinder.retention_g, words, last.grind_setting, size)
