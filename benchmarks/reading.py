"""How often reading finds what is planted, and how often it says something of a good shot."""

from __future__ import annotations

from collections.abc import Callable

from benchmarks.timing import Row
from tests.core.read.recordings import (
    GOOD,
    KEYS,
    POOR,
    SOUND,
    Fault,
    Gauges,
    recording,
    styled,
)
from tests.core.read.test_reading import PRESSING, read, told
from vapocline.core.read.findings import FindingKind
from vapocline.core.read.pulled import PlannedShot, forecast_of

EACH = 10  # recordings of a style with a fault
SOUND_EACH = 30
AGES_D = (5, 12, 28)
SOAKED = ("soak-then-press", "slow-saturate")
SHAPES = {"opened", "run_away", "early_resistance", "loosened"}


def _middle(of: PlannedShot) -> float:
    return (of.first_drip_s + of.stop_s) / 2


def _wears(of: PlannedShot) -> Fault:
    at = of.first_drip_s + 2
    return Fault(at_s=at, wears=0.5, over_s=of.stop_s - at)


def _resists(of: PlannedShot) -> Fault:
    return Fault(at_s=of.first_drip_s + 0.85 * (of.stop_s - of.first_drip_s), resists=0.45)


PLANTED: dict[FindingKind, tuple[tuple[str, ...], Callable[[PlannedShot], Fault]]] = {
    "opened": (KEYS, lambda of: Fault(at_s=_middle(of), opens=0.25)),
    "run_away": (KEYS, _wears),
    "early_resistance": (KEYS, _resists),
    "ran_like": (KEYS, lambda _of: Fault(truth={"permeability": 1.5})),
    "not_reached": (PRESSING, lambda _of: Fault(truth={"pump_max_bar": 0.55})),
    "overshoot": (PRESSING, lambda of: Fault(at_s=(of.press_s or 0) + 5, lifts=1.0)),
    "water_count": (KEYS, lambda _of: Fault(truth={"head_free_ml": 1.75})),
    "late_meeting": (KEYS, lambda _of: Fault(unevenness=0.7)),
    "choked": (KEYS, lambda _of: Fault(truth={"permeability": 0.09})),
    "over_soaked": (SOAKED, lambda _of: Fault(longer_s=12)),
    "meter": (KEYS, lambda _of: Fault(meter=0.92)),
    "record": (KEYS, lambda of: Fault(at_s=of.first_drip_s + 3, gap_s=2)),
}


def reading_rows() -> list[Row]:
    """For `./vapo bench read`: shares of 100, beside one earlier pull of the same coffee."""
    rows = []
    for name, gauges in (("good", GOOD), ("poor", POOR)):
        rows += [_found(kind, name, gauges) for kind in PLANTED]
        rows.append(_silent(name, gauges))
    return rows


def _found(kind: FindingKind, name: str, gauges: Gauges) -> Row:
    keys, plant = PLANTED[kind]
    found = shape = count = 0
    for key in keys:
        plan = styled(key)
        fault = plant(forecast_of(plan))
        for seed in range(EACH):
            one = recording(plan, 2000 + seed, fault, gauges)
            kinds = {
                f.kind for f in read(one, [recording(plan, 4000 + seed, SOUND, gauges)]).findings
            }
            found += kind in kinds
            shape += bool(kinds & SHAPES)
            count += 1
    more = f"as some loosening {100 * shape / count:.0f}" if kind in SHAPES else ""
    return Row(f"{kind}, {name} gauges", 100 * found / count, None, "%", more)


def _silent(name: str, gauges: Gauges) -> Row:
    silent, count, worst = 0, 0, (101.0, "")
    for key in KEYS:
        own = 0
        for age in AGES_D:
            plan = styled(key, age)
            for seed in range(SOUND_EACH):
                own += not told(read(recording(plan, 6000 + seed, SOUND, gauges)))
        share = 100 * own / (len(AGES_D) * SOUND_EACH)
        worst = min(worst, (share, key))
        silent, count = silent + own, count + len(AGES_D) * SOUND_EACH
    said = f"aim 95 of every style; least {worst[0]:.0f} ({worst[1]})"
    return Row(f"good shots without a note, {name} gauges", 100 * silent / count, None, "%", said)
