"""How often reading finds what is planted, and how often it says something of a good shot."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from itertools import product
from typing import Literal, NamedTuple

from benchmarks.learning import plan_in
from benchmarks.timing import Row
from benchmarks.truths import World
from tests.core.read.recordings import (
    GOOD,
    KEYS,
    POOR,
    SOUND,
    Fault,
    Gauges,
    Recording,
    recording,
    styled,
    without,
)
from tests.core.read.test_reading import PRESSING, lent, told
from vapocline.core.plan.styles.catalogue import STYLES
from vapocline.core.puck.plan import Plan
from vapocline.core.read.findings import MEASURED, FindingKind
from vapocline.core.read.pulled import PlannedShot, forecast_of
from vapocline.core.read.reading import Circumstances, Reading, earlier_of, read_curve

RECORDINGS = 66  # with a fault of a size
SOUND_EACH = 24  # of a style
AGES_D = (5, 12, 28)
SOAKED = ("soak-then-press", "slow-saturate")
SHAPES = {"opened", "run_away", "early_resistance", "loosened"}
GAUGES: dict[str, Gauges] = {"good": GOOD, "poor": POOR}


def _wears(by: float, of: PlannedShot) -> Fault:
    at = of.first_drip_s + 2
    return Fault(at_s=at, wears=by, over_s=of.stop_s - at)


def _resists(by: float, of: PlannedShot) -> Fault:
    until = of.first_drip_s + 0.85 * (of.stop_s - of.first_drip_s)
    return Fault(at_s=until, resists=by)


class PlantedFault(NamedTuple):
    """A fault in three sizes: what finds it, in which styles, and how a size is planted."""

    name: str
    finds: FindingKind
    keys: tuple[str, ...]
    sizes: tuple[float, float, float]
    plant: Callable[[float, PlannedShot], Fault]


FAULTS = (
    PlantedFault("opened, by ln", "opened", KEYS, (0.15, 0.25, 0.4),
                 lambda by, of: Fault(at_s=(of.first_drip_s + of.stop_s) / 2, opens=by)),
    PlantedFault("ran away, by ln", "run_away", KEYS, (0.3, 0.5, 0.8), _wears),
    PlantedFault("early resistance, by ln", "early_resistance", KEYS, (0.3, 0.45, 0.7), _resists),
    PlantedFault("ran like, times the permeability", "ran_like", KEYS, (1.3, 1.5, 2.0),
                 lambda by, _of: Fault(truth={"permeability": by})),
    PlantedFault("not reached, pump's share", "not_reached", PRESSING, (0.75, 0.65, 0.55),
                 lambda by, _of: Fault(truth={"pump_max_bar": by})),
    PlantedFault("not reached, relief valve's share", "not_reached", PRESSING, (0.7, 0.6, 0.5),
                 lambda by, _of: Fault(truth={"relief_bar": by})),
    PlantedFault("overshoot, bar", "overshoot", PRESSING, (0.7, 1.0, 1.5),
                 lambda by, of: Fault(at_s=(of.press_s or 0) + 5, lifts=by)),
    PlantedFault("water count, times the head", "water_count", KEYS, (1.4, 1.75, 2.2),
                 lambda by, _of: Fault(truth={"head_free_ml": by})),
    PlantedFault("late meeting, unevenness", "late_meeting", KEYS, (0.5, 0.7, 1.0),
                 lambda by, _of: Fault(unevenness=by)),
    PlantedFault("choked, times the permeability", "choked", KEYS, (0.12, 0.09, 0.06),
                 lambda by, _of: Fault(truth={"permeability": by})),
    PlantedFault("over soaked, s", "over_soaked", SOAKED, (6, 12, 18),
                 lambda by, _of: Fault(longer_s=by)),
    PlantedFault("meter, share", "meter", KEYS, (0.96, 0.92, 0.85),
                 lambda by, _of: Fault(meter=by)),
    PlantedFault("record, s without a sample", "record", KEYS, (0.5, 1, 2),
                 lambda by, of: Fault(at_s=of.first_drip_s + 3, gap_s=by)),
)  # fmt: skip

# A sound shot's puck, and what is known of it besides.
Puck = Literal["as the priors say", "of a known coffee", "of a strange coffee"]
SOUND_ROWS: tuple[tuple[str, Puck, bool, bool, tuple[str, ...]], ...] = (
    ("as the priors say, alone", "as the priors say", True, False, ()),
    ("as the priors say, beside one", "as the priors say", True, True, ()),
    ("of a known coffee, beside one", "of a known coffee", True, True, ()),
    ("of a strange coffee, beside one", "of a strange coffee", True, True, ()),
    ("no flow meter, beside one", "as the priors say", True, True, ("water_in_ml_s",)),
    ("no commands, alone", "as the priors say", True, False, ("commanded",)),
    ("no commands nor phases, beside one", "as the priors say", True, True, ("commanded", "phase")),
    ("no plan", "as the priors say", False, False, ()),
    ("no plan nor commands", "as the priors say", False, False, ("commanded",)),
    ("no plan nor flow meter", "as the priors say", False, False, ("water_in_ml_s",)),
)


# Pulls of pucks and machines with laws of their own, which do channel and miss commands: how many
# bring anything but what the gauges and the head are, which are off there.
WORLDS, FIRST_WORLD, GRIND_UM = 20, 500, 300
HIDDEN_WAYS = ("beside an earlier pull", "alone", "without a plan")
OFF_THERE = ("meter", "water_count")


def reading_rows() -> list[Row]:
    """For `./vapo bench read`: shares of 100."""
    faulty, sound_rows = (
        product(range(len(FAULTS)), range(3), GAUGES),
        product(range(len(SOUND_ROWS)), GAUGES),
    )
    with ProcessPoolExecutor() as workers:
        found = list(workers.map(_found, *zip(*faulty, strict=True)))
        sound = list(workers.map(_silent, *zip(*sound_rows, strict=True)))
        hidden = [one for world in workers.map(_hidden, range(WORLDS)) for one in world]
    total = sum(RECORDINGS for _one in found) + sum(count for _row, count in sound)
    rows = [*found, *(row for row, _count in sound), Row("recordings", total, None, "")]
    return [*rows, *(_hidden_row(way, hidden) for way in HIDDEN_WAYS)]


def _found(number: int, size: int, gauges: str) -> Row:
    """How often a fault of a size is found, beside one earlier pull, on pucks as the priors say."""
    fault = FAULTS[number]
    found = shape = 0
    for at in range(RECORDINGS):
        plan = styled(fault.keys[at % len(fault.keys)])
        planted = fault.plant(fault.sizes[size], forecast_of(plan))
        seed = 2000 + 100 * number + at
        one, before = (
            recording(plan, which, what, GAUGES[gauges], as_priors_say=True)
            for which, what in ((seed, planted), (seed + 50_000, SOUND))
        )
        kinds = {heard.kind for heard in told(_read(one, [before]))}
        found += fault.finds in kinds
        shape += bool(kinds & SHAPES)
    said = f"{RECORDINGS} recordings"
    if fault.finds in SHAPES:
        said += f"; as some loosening {100 * shape / RECORDINGS:.0f}"
    name = f"{fault.name} {fault.sizes[size]:g}, {gauges} gauges"
    return Row(name, 100 * found / RECORDINGS, None, "%", said)


def _silent(number: int, gauges: str) -> tuple[Row, int]:
    """How often a good shot brings a note, and in which style most often."""
    name, _puck, planned, beside, lacks = SOUND_ROWS[number]
    noted = weighty = count = 0
    worst = (-1.0, "")
    for place, key in enumerate(KEYS):
        own = 0
        for at in range(SOUND_EACH):
            seed = 6000 + 1000 * place + at
            plan = styled(key, AGES_D[at % len(AGES_D)])
            one, *before = _of_puck(number, plan, seed, GAUGES[gauges], beside=beside)
            said = told(_read(one, before, planned=planned, lacks=lacks))
            own += bool(said)
            weighty += any(found.weight == "finding" for found in said)
        worst = max(worst, (100 * own / SOUND_EACH, key))
        noted, count = noted + own, count + SOUND_EACH
    aim = f"aim 5 or less of {count}; findings {100 * weighty / count:.1f}; "
    aim += f"most {worst[0]:.0f} ({worst[1]})"
    return Row(f"good shots noted, {name}, {gauges} gauges", 100 * noted / count, None, "%",
               aim), count  # fmt: skip


class HiddenPull(NamedTuple):
    """One reading of a pull whose truth nobody told: what was noted, and the kinds of findings."""

    way: str
    noted: bool
    findings: list[str]
    water_count: bool


def _hidden(number: int) -> list[HiddenPull]:
    """Every style pulled twice in one hidden world, the second read in each way."""
    world = World(FIRST_WORLD + number)
    found = []
    for style in STYLES:
        plan = plan_in(world, style.key, GRIND_UM)
        first, second = (world.pull(plan) for _ in range(2))
        known = Circumstances(stop_s=second.shot_time_s)
        before = earlier_of(first.traces, plan, Circumstances(stop_s=first.shot_time_s))
        readings = (
            read_curve(second.traces, plan, known, [before] if before else []),
            read_curve(second.traces, plan, known),
            read_curve(second.traces, None, known),
        )
        for way, reading in zip(HIDDEN_WAYS, readings, strict=True):
            said = [one for one in reading.findings if one.kind not in MEASURED]
            own = [one for one in said if one.kind not in OFF_THERE]
            findings = [one.kind for one in own if one.weight == "finding"]
            counted = any(one.kind == "water_count" for one in said)
            found.append(HiddenPull(way, bool(own), findings, counted))
    return found


def _hidden_row(way: str, pulls: list[HiddenPull]) -> Row:
    here = [one for one in pulls if one.way == way]
    kinds = Counter(kind for one in here for kind in one.findings)
    of = ", ".join(f"{kind} {count}" for kind, count in kinds.most_common())
    counted = sum(one.water_count for one in here)
    said = f"of {len(here)}; findings: {of or 'none'}; water count {counted}"
    noted = 100 * sum(one.noted for one in here) / len(here)
    return Row(f"hidden worlds, {way}: anything", noted, None, "%", said)


def _of_puck(
    number: int, plan: Plan, seed: int, gauges: Gauges, *, beside: bool
) -> Iterator[Recording]:
    puck = SOUND_ROWS[number][1]
    for pull_seed in (seed, seed + 50_000)[: 1 + beside]:
        yield recording(
            plan, pull_seed, SOUND, gauges,
            pair=seed if puck == "of a strange coffee" else None,
            as_priors_say=puck == "as the priors say",
        )  # fmt: skip


def _read(
    one: Recording, before: list[Recording], *, planned: bool = True, lacks: tuple[str, ...] = ()
) -> Reading:
    traces = without(one.traces, *lacks)
    known = Circumstances(stop_s=one.stop_s)
    earlier = [pull._replace(traces=without(pull.traces, *lacks)) for pull in before]
    return read_curve(traces, one.plan if planned else None, known, lent(earlier))
