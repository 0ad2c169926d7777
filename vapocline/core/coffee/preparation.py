"""Ways of preparing a puck: what is done between the grinder and the machine."""

from __future__ import annotations

from typing import Literal

from vapocline.core.base.document import Document, Name, Note
from vapocline.core.base.quantities import LevellerMm, TampKg

Clumps = Literal["left", "stirred", "shaken", "sieved"]
Heap = Literal["as it falls", "tapped level"]
Tamp = Literal["by hand", "guided by the rim"]
CLUMPS: dict[Clumps, str] = {
    "left": "", "stirred": "stirred with needles", "shaken": "shaken", "sieved": "sieved",
}  # fmt: skip


class Preparation(Document):
    """A way of preparing a puck, by name.

    `sprayed` with a little water before grinding, against static; `clumps` and `heap` are what is
    done about them, `leveller_mm` how deep a leveller reaches below the rim and `tamp_kg` the force
    of the tamp; None where there is no leveller and nobody measures the force.
    """

    name: Name
    sprayed: bool = False
    clumps: Clumps = "left"
    heap: Heap = "as it falls"
    leveller_mm: LevellerMm | None = None
    tamp: Tamp = "by hand"
    tamp_kg: TampKg | None = None
    note: Note = ""


def steps_of(preparation: Preparation) -> str:
    """What is done, in the order of work, as part of a sentence."""
    tamped = "tamped" if preparation.tamp == "by hand" else f"tamped, {preparation.tamp}"
    force = "" if preparation.tamp_kg is None else f" with {preparation.tamp_kg:g} kg"
    depth = preparation.leveller_mm
    steps = [
        "sprayed" if preparation.sprayed else "",
        CLUMPS[preparation.clumps],
        preparation.heap if preparation.heap == "tapped level" else "",
        "" if depth is None else f"leveller at {depth:g} mm",
        tamped + force,
    ]
    return ", ".join(step for step in steps if step)
