"""A weighed change in the words of the bench and the grinder."""

from __future__ import annotations

from vapocline.core.advise.candidates import ShotSketch, Voice
from vapocline.core.advise.moves import Where
from vapocline.core.advise.weighing import Weighed
from vapocline.core.base.document import Answer
from vapocline.core.coffee.grinder import on_click, setting_on
from vapocline.core.formats.registry import CONDITIONS
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.plan import Plan
from vapocline.core.taste.tasting import Line
from vapocline.store.tables import ShotRow


class BenchRecipe(Answer):
    """The words of the bench for a change: those of the shot, but for what the change moves."""

    grind_setting: float | None
    dose_g: float
    water_c: float
    yield_g: float


class NextChange(Answer):
    """One change to try: what and by whom, what it should do, and what own cups say. `profile` and
    `bench` are the shot's own with it."""

    move: str
    words: str
    details: str
    where: Where
    voices: list[Voice]
    expected: dict[Line, float]
    model: dict[Line, float]
    before: ShotSketch
    after: ShotSketch
    pulls_for: int
    pulls_against: int
    chance_nearer: float | None
    chance_further: float | None
    cups_to_see: int | None
    failed: bool
    purge_g: float
    profile: Profile
    bench: BenchRecipe


def change_of(one: Weighed, plan: Plan, row: ShotRow) -> NextChange:
    """A change against a shot's plan."""
    candidate = one.candidate
    return NextChange(
        move=candidate.move,
        words=candidate.words,
        details=_details(one, plan, row),
        where=candidate.where,
        voices=candidate.voices,
        expected=one.expected,
        model=candidate.steps,
        before=candidate.before,
        after=candidate.after,
        pulls_for=one.pulls_for,
        pulls_against=one.pulls_against,
        chance_nearer=one.chance_nearer,
        chance_further=one.chance_further,
        cups_to_see=one.cups_to_see,
        failed=one.failed,
        purge_g=candidate.purge_g,
        profile=candidate.plan.profile,
        bench=recipe_of(candidate.plan, plan, row, a_click=candidate.where == "grind"),
    )


def _details(one: Weighed, plan: Plan, row: ShotRow) -> str:
    """What is changed; a grind by the grinder's numbers where they are known."""
    by = one.candidate.plan.setup.grind_um - plan.setup.grind_um
    setting = _setting(one.candidate.plan, plan, row, a_click=one.candidate.where == "grind")
    if by == 0:
        return one.candidate.details
    said = f"{abs(by):.0f} µm {'coarser' if by > 0 else 'finer'}"
    if setting is not None and row.grinder is not None and row.grind_setting is not None:
        said = f"{row.grind_setting:g} to {setting:g} on {row.grinder.name}, {said}"
    if one.candidate.where == "grind":
        return said
    if setting is None and row.grinder is not None:
        return (
            f"{one.candidate.details}; the grind stays, as no click of {row.grinder.name} is nearer"
        )
    return f"{one.candidate.details}; with it the grind {said}, to keep the time"


def _setting(moved: Plan, plan: Plan, row: ShotRow, *, a_click: bool) -> float | None:
    """The grinder's setting for a changed grind; None where that is no click away and `a_click`
    does not ask for the next."""
    dial, size_um, was_um = row.grinder, moved.setup.grind_um, plan.setup.grind_um
    if dial is None or size_um == was_um:
        return None
    setting = setting_on(dial, size_um)
    if setting != row.grind_setting or dial.step is None:
        return setting
    rises = dial.grind_um[-1] > dial.grind_um[0]
    way = 1 if (size_um > was_um) == rises else -1
    return on_click(dial, setting + way * dial.step) if a_click else None


def recipe_of(moved: Plan, plan: Plan, row: ShotRow, *, a_click: bool = False) -> BenchRecipe:
    """The shot's intended recipe with the same change as its plan; `a_click` of the grinder at
    least where its grind is what changes."""
    intended = CONDITIONS.read(row.conditions).intended
    before_g, after_g = plan.profile.stop.cup_g or 0.0, moved.profile.stop.cup_g or 0.0
    changed = _setting(moved, plan, row, a_click=a_click)
    return BenchRecipe(
        grind_setting=row.grind_setting if changed is None else changed,
        dose_g=round(intended.dose_g + moved.setup.dose_g - plan.setup.dose_g, 2),
        water_c=moved.setup.water_c,
        yield_g=round(row.target_yield_g + after_g - before_g, 1),
    )
