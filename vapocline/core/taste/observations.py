"""What one sees of a shot besides tasting it: crema and puck, each as far as somebody looked."""

from __future__ import annotations

from typing import Literal, get_args

from pydantic import BaseModel, ConfigDict

from vapocline.core.base.quantities import CremaMm, CremaS

CremaColour = Literal["pale", "golden", "hazel", "dark", "mottled"]
CREMA_COLOURS: tuple[CremaColour, ...] = get_args(CremaColour)


class Observation(BaseModel):
    """Crema: its depth, mm, its colour, how long it stays, s. The puck: came out whole, wet on top,
    with holes, with cracks. None is not looked at. None of it is quality by itself."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    crema_mm: CremaMm | None = None
    crema_colour: CremaColour | None = None
    crema_s: CremaS | None = None
    puck_whole: bool | None = None
    puck_wet: bool | None = None
    puck_holes: bool | None = None
    puck_cracks: bool | None = None
