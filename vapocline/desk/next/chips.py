"""What was found on a shot, as chips that can be switched on and off."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import cast

from sqlalchemy.orm import Session

from vapocline.core.advise.rules import TRIGGERS, Trigger
from vapocline.core.advise.weighing import LineOffTarget
from vapocline.core.base.document import Answer
from vapocline.core.coffee.coffee import Roast
from vapocline.core.formats.registry import CONDITIONS, TARGET
from vapocline.core.plan.goal import Want
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.freshness import best_days
from vapocline.core.read.findings import Finding
from vapocline.core.taste.spreads import HouseSpreads
from vapocline.core.taste.target import Target, distance_from
from vapocline.core.taste.tasting import BY_FIELD, Line
from vapocline.desk.read.shots import Tasted, extraction_in, tastings_of
from vapocline.store import taste
from vapocline.store.tables import ShotRow

FRESH_DAYS = 6
# What a line off its target asks for: less of it where there is too much, more where too little.
OFF: dict[tuple[Line, int], Trigger] = {
    ("acidity", +1): "too acidic", ("acidity", -1): "flat", ("bitterness", +1): "too bitter",
    ("dryness", +1): "too dry", ("body", -1): "thin", ("body", +1): "heavy",
    ("clarity", -1): "muddled", ("cleanness", -1): "muddled", ("sweetness", -1): "not sweet",
    ("finish", -1): "short finish",
}  # fmt: skip
BY_ROAST: dict[Roast, Trigger] = {"light": "light roast", "dark": "dark roast"}


class Chip(Answer):
    """Something that was found, or wished for: in words, with what it rests on where it was
    `measured`, and whether the changes answer it."""

    trigger: Trigger
    words: str
    evidence: str
    source: str
    measured: bool
    on: bool


def off_target(
    session: Session, row: ShotRow, spreads: HouseSpreads
) -> Iterator[tuple[Chip, LineOffTarget]]:
    """Lines that are noticeably off the coffee's target, by the newest tasting that has them."""
    stored = None if row.coffee_id is None else taste.read_target(session, row.coffee_id)
    if stored is None:
        return
    target: Target = TARGET.read(stored.document)
    seen: set[Trigger] = set()
    for tasted in reversed(tastings_of(row)):
        scores = scores_of(tasted)
        off = distance_from(target, scores, tasted.words, tasted.taster, spreads)
        for name in off.off:
            line = cast(Line, name)
            trigger = OFF.get((line, 1 if off.points[name] > 0 else -1))
            if trigger is None or trigger in seen:
                continue
            seen.add(trigger)
            said = f"{BY_FIELD[name].name.lower()} {scores[name]:g}, aimed at {target.scores[line]}"
            yield _chip(trigger, said), LineOffTarget(line, -off.steps[name])


def near_target(session: Session, row: ShotRow, spreads: HouseSpreads) -> list[LineOffTarget]:
    """Lines with a target that the newest tasting has, off it or not, and how far they should
    move."""
    stored = None if row.coffee_id is None else taste.read_target(session, row.coffee_id)
    tastings = tastings_of(row)
    if stored is None or not tastings:
        return []
    newest = tastings[-1]
    target: Target = TARGET.read(stored.document)
    off = distance_from(target, scores_of(newest), newest.words, newest.taster, spreads)
    return [LineOffTarget(cast(Line, line), -steps) for line, steps in off.steps.items()]


def scores_of(tasted: Tasted) -> dict[str, float]:
    return {line: float(points) for line, points in tasted.scores().items()}


def found_in(findings: Sequence[Finding]) -> Iterator[Chip]:
    """Findings that a rule answers."""
    for one in findings:
        if one.weight == "finding" and one.kind in TRIGGERS:
            yield _chip(cast(Trigger, one.kind), one.words)


GOALS: dict[str, str] = {"tds_pct": "strength", "extraction_yield_pct": "extraction"}
CERTAIN = 1.96  # standard errors


def off_goals(row: ShotRow, wants: Sequence[Want]) -> Iterator[Chip]:
    """Measured strength and extraction that are off the bench's goals by more than their error."""
    found = extraction_in(row)
    if found is None or row.tds_pct is None:
        return
    values = {"tds_pct": row.tds_pct, "extraction_yield_pct": found.value_pct}
    for want in wants:
        value = values.get(want.figure)
        if value is None:
            continue
        least = want.at if want.at_least is None else want.at_least
        most = want.at if want.at_most is None else want.at_most
        error = CERTAIN * found.error_pct * value / found.value_pct
        said = f"{GOALS[want.figure]} {value:.1f} %, "
        if least is not None and value + error < least:
            yield _chip("too weak", f"{said}at least {least:g} % wanted")
        elif most is not None and value - error > most:
            yield _chip("too strong", f"{said}at most {most:g} % wanted")


HIGH_BAR = 9.3  # above the band of 6 to 9 bar by more than gauges differ


def of_pressure(row: ShotRow, profile: Profile) -> Iterator[Chip]:
    """A press at a commanded flow that needed more pressure than the band."""
    flows = any(one.kind == "hold" and one.command.control == "flow" for one in profile.phases)
    peak_bar = row.peak_pressure_bar
    if flows and peak_bar is not None and peak_bar > HIGH_BAR:
        yield _chip("too much pressure", f"peak {peak_bar:.1f} bar at a commanded flow")


def of_coffee(row: ShotRow) -> Iterator[Chip]:
    """What the coffee itself asks for."""
    if row.rest_days is not None and row.rest_days < FRESH_DAYS:
        setup = CONDITIONS.read(row.conditions).tamped
        best_from, _ = best_days(setup.roast, decaf=setup.decaf, blend=setup.blend)
        wait = f", at its best from day {best_from:.0f}" if best_from > row.rest_days else ""
        yield _chip("very fresh", f"rested {row.rest_days:g} days{wait}")
    roast = None if row.coffee is None else BY_ROAST.get(cast(Roast, row.coffee.roast))
    if roast is not None:
        yield _chip(roast, "as its page says")


def _chip(trigger: Trigger, evidence: str, *, measured: bool = True) -> Chip:
    said = TRIGGERS[trigger]
    return Chip(
        trigger=trigger,
        words=said.words,
        evidence=evidence,
        source=said.source,
        measured=measured,
        on=True,
    )


def chips_of(
    found: Sequence[Chip], off: frozenset[Trigger], wished: frozenset[Trigger]
) -> list[Chip]:
    """What was found, each once, then what was wished for; nothing wrong where there is neither.
    What the coffee asks for is answered only once it is switched on, or stands alone."""
    by_trigger = {chip.trigger: chip for chip in reversed(found)}
    chips = [chip for chip in found if by_trigger[chip.trigger] is chip]
    weighty = [chip for chip in chips if chip.source != "coffee"]
    shown = [
        chip.model_copy(
            update={
                "on": chip.trigger not in off
                and (chip.source != "coffee" or not weighty or chip.trigger in wished)
            }
        )
        for chip in chips
    ]
    wishes = sorted(wished - by_trigger.keys())
    shown += [_chip(trigger, "wished for", measured=False) for trigger in wishes]
    nothing = _chip("nothing wrong", "nothing is off, as far as anyone said", measured=False)
    return shown or [nothing]
