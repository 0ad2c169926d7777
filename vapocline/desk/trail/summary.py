"""What a coffee's trail comes to: the best so far, its baseline, what worked, and its filters."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, timedelta

from pydantic import BaseModel, ConfigDict
from sqlalchemy.orm import Session

from vapocline.core.base.document import Answer
from vapocline.core.base.problems import ConflictError
from vapocline.core.coffee.alike import shared_facts
from vapocline.core.taste.odds import effect_sd
from vapocline.core.taste.spreads import HouseSpreads
from vapocline.core.trail.best import CupLiking, Liking, best_of, liking_of
from vapocline.core.trail.worked import SummedChange, liking_effects, summed_changes
from vapocline.desk.context import Context
from vapocline.desk.read.shots import ShotLine, finished, line_of
from vapocline.desk.shelf.coffees import plain_coffee
from vapocline.desk.taste.spread import spreads_here
from vapocline.desk.trail.cups import MOST_CUPS, TrailLayout, cups_of, read_layout, tried_on
from vapocline.desk.trail.trail import likings_of
from vapocline.store import shelf, shots, trail
from vapocline.store.database import transaction
from vapocline.store.tables import BaselineRow, CoffeeRow, ShotRow

MOST_ALIKE = 5
STALE = timedelta(days=3)  # then a baseline's coffee is another


class Best(Answer):
    """The recipe liked best: its newest shot, how it was liked over all its cups, and how many
    shots were pulled of it."""

    shot: ShotLine
    liking: Liking
    shots: int


class Baseline(Answer):
    """The shot that others are compared with; `pulled_at` is when its recipe was pulled last, and
    `pull_again` why it should be pulled again, None where it need not."""

    shot: ShotLine
    pinned_at: datetime
    pulled_at: datetime
    pull_again: str | None


class BagChoice(Answer):
    """A bag to filter by."""

    id: int
    roasted_on: date | None


class MachineChoice(Answer):
    """A machine to filter by."""

    id: int
    name: str


class AlikeCoffee(Answer):
    """Another coffee of which its roaster says some of the same, and how many shots it has."""

    id: int
    name: str
    shares: list[str]
    shots: int


class TrailChoices(Answer):
    """What the shots of a coffee can be filtered by."""

    bags: list[BagChoice]
    machines: list[MachineChoice]
    styles: list[str]
    tasters: list[str]
    findings: list[str]
    words: list[str]


class TrailSummary(Answer):
    """What a coffee's trail comes to."""

    coffee_id: int
    coffee: str
    shots: int
    best: Best | None
    baseline: Baseline | None
    worked: list[SummedChange]
    choices: TrailChoices
    alike: list[AlikeCoffee]


class BaselineSaid(BaseModel):
    """The shot to compare others with; None for no baseline."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    shot_id: int | None


def read_summary(context: Context, coffee_id: int) -> TrailSummary:
    """What a coffee's trail comes to. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        return _summary(context, session, coffee_id)


def pin_baseline(context: Context, coffee_id: int, said: BaselineSaid) -> TrailSummary:
    """Compare other shots of a coffee with one, or with none. Raises NotFoundError, ConflictError
    for a shot of another coffee, one that runs and a dry run."""
    with transaction(context.sessions) as session:
        coffee = trail.read_coffee(session, coffee_id)
        row = trail.read_baseline(session, coffee_id)
        if row is not None:
            session.delete(row)
            session.flush()
        if said.shot_id is not None:
            shot = finished(shots.read_standing(session, said.shot_id))
            if shot.coffee_id != coffee_id or shot.dry:
                raise ConflictError(f"Shot {shot.id} is no shot of {coffee.name}.")
            session.add(BaselineRow(coffee_id=coffee_id, shot_id=shot.id))
            session.flush()
        return _summary(context, session, coffee_id)


def _summary(context: Context, session: Session, coffee_id: int) -> TrailSummary:
    coffee = trail.read_coffee(session, coffee_id)
    layout, spreads = read_layout(session, coffee_id), spreads_here(session)
    tasted = trail.read_tasted(session, coffee_id, limit=MOST_CUPS)
    tried = tried_on(cups_of(tasted), layout, spreads)
    return TrailSummary(
        coffee_id=coffee_id,
        coffee=coffee.name,
        shots=len(layout.numbers),
        best=_best(tasted, layout, spreads),
        baseline=_baseline(context, session, coffee_id, layout),
        worked=summed_changes(tried, effect_sd(liking_effects(tried))),
        choices=_choices(session, coffee_id),
        alike=_alike(session, coffee_id),
    )


def _best(tasted: Sequence[ShotRow], layout: TrailLayout, spreads: HouseSpreads) -> Best | None:
    given: dict[int, list[CupLiking]] = {}
    pulls: dict[int, list[ShotRow]] = {}
    for row in tasted:
        first = layout.first_pull(row.id)
        given.setdefault(first, []).extend(likings_of(row))
        pulls.setdefault(first, []).append(row)
    key = best_of(given)
    if key is None or (liking := liking_of(given[key], spreads)) is None:
        return None
    return Best(shot=line_of(pulls[key][-1]), liking=liking, shots=len(layout.pulls_of(key)))


def _baseline(
    context: Context, session: Session, coffee_id: int, layout: TrailLayout
) -> Baseline | None:
    row = trail.read_baseline(session, coffee_id)
    if row is None:
        return None
    numbers = [*layout.pulls_of(layout.first_pull(row.shot_id)), row.shot_id]
    pulled = shots.read_numbered(session, numbers)
    pinned = pulled[row.shot_id]
    newest = max(pulled.values(), key=lambda one: (one.started_at, one.id))
    return Baseline(
        shot=line_of(pinned),
        pinned_at=row.pinned_at,
        pulled_at=newest.started_at,
        pull_again=_pull_again(context, session, coffee_id, newest),
    )


def _pull_again(context: Context, session: Session, coffee_id: int, newest: ShotRow) -> str | None:
    """Why a baseline should be pulled again."""
    last = trail.read_trail(session, coffee_id, trail.TrailFilter(), limit=1, before=None)
    if last and None not in (last[0].bag_id, newest.bag_id) and last[0].bag_id != newest.bag_id:
        return "There is a new bag since it was pulled: pull it again before comparing with it."
    days = (context.now() - newest.started_at) / timedelta(days=1)
    if days >= STALE / timedelta(days=1):
        return f"It was last pulled {days:.0f} days ago: pull it again before comparing with it."
    return None


def _alike(session: Session, coffee_id: int) -> list[AlikeCoffee]:
    """Other coffees that were pulled, those with most in common first."""
    rows = {row.id: row for row in shelf.read_all(session, CoffeeRow)}
    if coffee_id not in rows:
        return []
    here = plain_coffee(rows.pop(coffee_id))
    found = [
        AlikeCoffee(
            id=row.id,
            name=row.name,
            shares=shared_facts(here, plain_coffee(row)),
            shots=sum(bag.shots for bag in row.bags),
        )
        for row in rows.values()
    ]
    alike = [one for one in found if one.shares and one.shots]
    return sorted(alike, key=lambda one: (-len(one.shares), one.name))[:MOST_ALIKE]


def _choices(session: Session, coffee_id: int) -> TrailChoices:
    found = trail.read_choices(session, coffee_id)
    return TrailChoices(
        bags=[BagChoice(id=number, roasted_on=roasted) for number, roasted in found.bags],
        machines=[MachineChoice(id=number, name=name) for number, name in found.machines],
        styles=found.styles,
        tasters=found.tasters,
        findings=found.findings,
        words=found.words,
    )
