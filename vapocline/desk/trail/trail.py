"""A coffee's shots in order: what each changed, how it was liked, and what came of expectations."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated, NamedTuple

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, StringConstraints
from sqlalchemy.orm import Session

from vapocline.core.advise.between import move_between
from vapocline.core.advise.moves import MOVE
from vapocline.core.advise.settling import Settled
from vapocline.core.base.amounts import from_to
from vapocline.core.base.document import Answer
from vapocline.core.formats.registry import CONDITIONS, PLAN
from vapocline.core.profile.differences import profile_differences
from vapocline.core.taste.spreads import HouseSpreads
from vapocline.core.trail.best import CupLiking, Liking, liking_of
from vapocline.desk.context import Context
from vapocline.desk.read.shots import ShotLine, line_of, tastings_of
from vapocline.desk.taste.spread import spreads_here
from vapocline.desk.trail.cups import TrailLayout, cup_of, read_layout, settled_by, tasted_cups
from vapocline.store import trail
from vapocline.store.database import transaction
from vapocline.store.tables import ShotRow

MOST_WORDS = 3  # of what was changed, before it is simply another thing
POINTS = 40  # of a small curve
Text = Annotated[str, StringConstraints(max_length=120)]


class TrailQuery(BaseModel):
    """Which shots of a coffee: at most `limit`, from the newest back or from `before`; of one bag,
    machine or style, tasted by one taster, liked by `liked_from` points or more, with one finding,
    or described by one flavour word."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    limit: Annotated[int, Field(ge=1, le=100)] = 40
    before: int | None = None
    bag_id: int | None = None
    machine_id: int | None = None
    style: Text | None = None
    taster: Text | None = None
    liked_from: Annotated[int, Field(ge=0, le=10)] | None = None
    finding: Text | None = None
    word: Text | None = None

    def wanted(self) -> trail.TrailFilter:
        """The filters alone."""
        return trail.TrailFilter(**self.model_dump(exclude={"limit", "before"}))


class SmallCurve(Answer):
    """A shot's curve in few points."""

    time_s: list[float]
    pressure_bar: list[float | None]
    cup_out_ml_s: list[float | None]


class TrailNode(Answer):
    """A shot on the trail.

    It came from the earlier shot `came_from`, by the change `move` where that was made alone;
    `changed` says all that was changed as run, empty for a repeat. `lane` is 0 on the line from the
    newest shot back, and `begins` with the newest of it; lanes `passing` beside it and `joining` it
    from above are of what was abandoned. `findings` is None before the shot is read.
    """

    shot: ShotLine
    machine_id: int
    grinder_id: int | None
    came_from: int | None
    changed: list[str]
    move: str | None
    new_bag: bool
    lane: int
    begins: bool
    passing: list[int]
    joining: list[int]
    liking: Liking | None
    findings: list[str] | None
    settled: Settled | None
    curve: SmallCurve


class TrailPage(Answer):
    """Shots of a coffee, the newest first; `next` goes on with the page after, None at its end."""

    coffee_id: int
    coffee: str
    nodes: list[TrailNode]
    next: int | None


class _PageContext(NamedTuple):
    """What the nodes of a page are made with."""

    layout: TrailLayout
    origins: Mapping[int, ShotRow]
    settled: Mapping[int, Settled]
    curves: Mapping[int, SmallCurve]
    spreads: HouseSpreads


def read_trail(context: Context, coffee_id: int, asked: TrailQuery) -> TrailPage:
    """A page of a coffee's shots. Raises NotFoundError for no such coffee or shot `before`."""
    with transaction(context.sessions) as session:
        coffee = trail.read_coffee(session, coffee_id)
        rows = trail.read_trail(
            session, coffee_id, asked.wanted(), limit=asked.limit + 1, before=asked.before
        )
        shown = rows[: asked.limit]
        page = _page_context(session, coffee_id, shown)
        return TrailPage(
            coffee_id=coffee_id,
            coffee=coffee.name,
            nodes=[_node(row, page) for row in shown],
            next=shown[-1].id if len(rows) > len(shown) else None,
        )


def _page_context(session: Session, coffee_id: int, rows: Sequence[ShotRow]) -> _PageContext:
    layout, spreads = read_layout(session, coffee_id), spreads_here(session)
    cups = tasted_cups(session, coffee_id)
    taken = trail.read_expectations(session, cups)
    settled = {row.id: settled_by(row.id, cups, layout, taken, spreads) for row in rows}
    origins = {row.id: row for row in rows}
    wanted = {layout.came_from(row.id) for row in rows} - {None, *origins}
    for row in trail.read_with_plans(session, [one for one in wanted if one is not None]):
        origins[row.id] = row
    curves = trail.read_curves(session, [row.id for row in rows])
    return _PageContext(
        layout=layout,
        origins=origins,
        settled={number: one for number, one in settled.items() if one is not None},
        curves={number: _thinned(*columns) for number, columns in curves.items()},
        spreads=spreads,
    )


def _node(row: ShotRow, page: _PageContext) -> TrailNode:
    place, came_from = page.layout.place(row.id), page.layout.came_from(row.id)
    origin = None if came_from is None else page.origins.get(came_from)
    return TrailNode(
        shot=line_of(row),
        machine_id=row.machine_id,
        grinder_id=row.grinder_id,
        came_from=came_from,
        changed=[] if origin is None else changed_between(origin, row),
        move=None if origin is None else _move(origin, row),
        new_bag=origin is not None and None not in (origin.bag_id, row.bag_id)
        and origin.bag_id != row.bag_id,
        lane=place.lane if place else 0,
        begins=place is None or place.begins,
        passing=list(place.passing) if place else [],
        joining=list(place.joining) if place else [],
        liking=liking_of(likings_of(row), page.spreads),
        findings=row.findings,
        settled=page.settled.get(row.id),
        curve=page.curves[row.id],
    )  # fmt: skip


def likings_of(row: ShotRow) -> list[CupLiking]:
    """How tasters liked a shot, straight."""
    return [
        CupLiking(one.taster, float(one.liking), row.id)
        for one in tastings_of(row)
        if one.liking is not None and one.served == "straight"
    ]


def changed_between(before: ShotRow, after: ShotRow) -> list[str]:
    """What was changed from one shot to another, as run; empty where nothing was."""
    if not (before.plan_known and after.plan_known):
        return ["brought in, its plan is not known"]
    found = [*_named(before, after), *_recipe(before, after)]
    was, now = PLAN.read(before.plan), PLAN.read(after.plan)
    mode = now.setup.machine.mode
    if before.machine is after.machine and was.setup.machine.mode != mode and mode is not None:
        found.append(f"set to {mode}")
    steps = profile_differences(was.profile, now.profile)
    steps = [one for one in steps if not one.startswith("stop")]
    if len(steps) > MOST_WORDS:
        named = after.version.document["name"]
        steps = [f"{len(steps)} steps of the profile, {named} v{after.version.number}"]
    return [*found, *steps]


def _named(before: ShotRow, after: ShotRow) -> list[str]:
    pairs = ((before.machine, after.machine), (before.grinder, after.grinder))
    found = [f"on {now.name}" for was, now in pairs if now is not None and was is not now]
    made = CONDITIONS.read(after.conditions)
    if before.basket_id != after.basket_id:
        found.append(f"in {made.basket or 'a basket nobody named'}")
    if before.preparation_id != after.preparation_id:
        way = made.preparation
        found.append("prepared in a way nobody named" if way is None else f"prepared as {way.name}")
    return found


def _recipe(before: ShotRow, after: ShotRow) -> list[str]:
    found = []
    was, now = before.grind_setting, after.grind_setting
    if was is not None and now is not None and was != now and before.grinder is after.grinder:
        found.append(f"grind {was:g} to {now:g}")
    for field, name, unit, least in RECIPE:
        was, now = getattr(before, field), getattr(after, field)
        if abs(now - was) >= least:
            found.append(f"{name} {from_to(was, now, unit)}")
    return found


RECIPE = (
    ("dose_g", "dose", "g", 0.1),
    ("water_c", "water", "°C", 0.5),
    ("target_yield_g", "drink", "g", 0.5),
)


def _move(before: ShotRow, after: ShotRow) -> str | None:
    """The change in a word, where it was made alone."""
    if not (before.plan_known and after.plan_known):
        return None
    key = move_between(cup_of(before).plan, cup_of(after).plan)
    return MOVE[key].words if key in MOVE else None


def _thinned(
    time_s: Sequence[float], pressure: Sequence[float], flow: Sequence[float]
) -> SmallCurve:
    """A curve in few points; a gap stays one."""
    kept = np.unique(np.linspace(0, max(0, len(time_s) - 1), POINTS).astype(int))
    kept = kept[: len(time_s)]

    def thin(values: Sequence[float]) -> list[float | None]:
        return [None if np.isnan(values[at]) else round(values[at], 2) for at in kept]

    return SmallCurve(
        time_s=[round(time_s[at], 2) for at in kept],
        pressure_bar=thin(pressure),
        cup_out_ml_s=thin(flow),
    )
