"""Queries on the shots of one coffee, and its baseline."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, Text, and_, cast, func, literal, or_, select, text, tuple_
from sqlalchemy.orm import Session

from vapocline.core.base.problems import NotFoundError
from vapocline.store.shots import WITH_SETUP, WITHOUT_TRACES, read_standing
from vapocline.store.tables import (
    BagRow,
    BaselineRow,
    CoffeeRow,
    CupRow,
    ExpectationRow,
    MachineRow,
    ProfileRow,
    RemarkRow,
    ScoreRow,
    ShotRow,
    TasterRow,
    TastingSessionRow,
    VersionRow,
)
from vapocline.store.taste import COUNTED_CUP

_COUNTED_CUP = CupRow.shot_id == ShotRow.id, *COUNTED_CUP
_IN_ORDER = (ShotRow.started_at.desc(), ShotRow.id.desc())


class RecipeRow(NamedTuple):
    """What a shot was pulled with, its phases by a digest."""

    id: int
    machine_id: int
    grinder_id: int | None
    basket_id: int | None
    preparation_id: int | None
    phases: str
    grind_setting: float | None
    dose_g: float
    water_c: float
    target_yield_g: float


class TrailFilter(NamedTuple):
    """Which shots of a coffee are wanted: each None for any."""

    bag_id: int | None = None
    machine_id: int | None = None
    style: str | None = None
    taster: str | None = None
    liked_from: int | None = None
    finding: str | None = None
    word: str | None = None


def read_coffee(session: Session, coffee_id: int) -> CoffeeRow:
    """A coffee, on the shelf or taken off it. Raises NotFoundError."""
    row = session.get(CoffeeRow, coffee_id)
    if row is None:
        raise NotFoundError(f"There is no coffee {coffee_id}.")
    return row


def _of_coffee(coffee_id: int) -> tuple[ColumnElement[bool], ...]:
    """Whole and broken pulls with coffee."""
    return (ShotRow.coffee_id == coffee_id, ~ShotRow.dry, ShotRow.state != "running")


def read_recipes(session: Session, coffee_id: int, *, limit: int) -> list[RecipeRow]:
    """What the newest shots of a coffee were pulled with, the oldest first. Of a recording whose
    plan is not known the phases are like no other's."""
    phases = func.md5(cast(ShotRow.plan["profile"]["phases"], Text))
    known = and_(ShotRow.plan_known, phases.is_not(None))
    digest = func.coalesce(
        select(phases).where(known).correlate(ShotRow).scalar_subquery(), cast(ShotRow.id, Text)
    )
    rows = session.execute(
        select(
            ShotRow.id, ShotRow.machine_id, ShotRow.grinder_id, ShotRow.basket_id,
            ShotRow.preparation_id, digest, ShotRow.grind_setting, ShotRow.dose_g, ShotRow.water_c,
            ShotRow.target_yield_g,
        )
        .where(*_of_coffee(coffee_id))
        .order_by(*_IN_ORDER)
        .limit(limit)
    )  # fmt: skip
    return [RecipeRow(*row) for row in rows][::-1]


def read_trail(
    session: Session, coffee_id: int, wanted: TrailFilter, *, limit: int, before: int | None
) -> Sequence[ShotRow]:
    """Shots of a coffee with their plans, the newest first; `before` goes on where a page ended."""
    query = select(ShotRow).where(*_of_coffee(coffee_id), *_wanted(wanted))
    if before is not None:
        last = read_standing(session, before)
        at = tuple_(ShotRow.started_at, ShotRow.id)
        query = query.where(at < tuple_(literal(last.started_at), literal(last.id)))
    return session.scalars(
        query.options(*WITH_SETUP, *WITHOUT_TRACES).order_by(*_IN_ORDER).limit(limit)
    ).all()


def read_with_plans(session: Session, numbers: Sequence[int]) -> Sequence[ShotRow]:
    """Shots by number, with their plans, in no order."""
    query = select(ShotRow).where(ShotRow.id.in_(numbers))
    return session.scalars(query.options(*WITH_SETUP, *WITHOUT_TRACES)).all()


def _wanted(wanted: TrailFilter) -> list[ColumnElement[bool]]:
    found: list[ColumnElement[bool]] = []
    if wanted.bag_id is not None:
        found.append(ShotRow.bag_id == wanted.bag_id)
    if wanted.machine_id is not None:
        found.append(ShotRow.machine_id == wanted.machine_id)
    if wanted.style is not None:
        versions = select(VersionRow.id).join(ProfileRow).where(ProfileRow.style == wanted.style)
        found.append(ShotRow.version_id.in_(versions))
    if wanted.finding is not None:
        found.append(ShotRow.findings.any(wanted.finding))  # type: ignore[arg-type]
    if wanted.word is not None:
        found.append(_said(RemarkRow, RemarkRow.words.any(wanted.word)))  # type: ignore[arg-type]
    if wanted.liked_from is not None:
        liked = and_(ScoreRow.line == "liking", ScoreRow.points >= wanted.liked_from)
        found.append(_said(ScoreRow, liked))
    if wanted.taster is not None:
        of_name = select(TasterRow.id).where(
            func.lower(TasterRow.name) == func.lower(wanted.taster)
        )
        found.append(or_(*(_said(of, of.taster_id.in_(of_name)) for of in (ScoreRow, RemarkRow))))
    return found


def _said(of: type[ScoreRow] | type[RemarkRow], like: ColumnElement[bool]) -> ColumnElement[bool]:
    """Shots of which something like this was said, once its tasting was closed."""
    return (
        select(of.cup_id)
        .join(CupRow, CupRow.id == of.cup_id)
        .join(TastingSessionRow, TastingSessionRow.id == CupRow.session_id)
        .where(*_COUNTED_CUP, like)
        .exists()
    )


def read_tasted(session: Session, coffee_id: int, *, limit: int) -> Sequence[ShotRow]:
    """The newest shots of a coffee that count and of which something was said, with their plans,
    the oldest first."""
    said = or_(*(_said(of, literal(True)) for of in (ScoreRow, RemarkRow)))
    newest = session.scalars(
        select(ShotRow)
        .where(*_of_coffee(coffee_id), ShotRow.set_aside.is_(None), ShotRow.plan_known, said)
        .options(*WITH_SETUP, *WITHOUT_TRACES)
        .order_by(*_IN_ORDER)
        .limit(limit)
    ).all()
    return newest[::-1]


CURVE = ("time_s", "pressure_bar", "cup_out_ml_s")


def read_curves(session: Session, numbers: Sequence[int]) -> Mapping[int, Sequence[Any]]:
    """Time, pressure and flow into the cup of shots, by number."""
    columns = (getattr(ShotRow, name) for name in CURVE)
    rows = session.execute(select(ShotRow.id, *columns).where(ShotRow.id.in_(numbers)))
    return {row[0]: row[1:] for row in rows}


def read_expectations(session: Session, numbers: Iterable[int]) -> dict[int, ExpectationRow]:
    """What was taken last after each of these shots."""
    query = select(ExpectationRow).where(ExpectationRow.shot_id.in_(list(numbers)))
    return {row.shot_id: row for row in session.scalars(query.order_by(ExpectationRow.id))}


class Choices(NamedTuple):
    """What a coffee's shots can be filtered by."""

    bags: list[tuple[int, Any]]
    machines: list[tuple[int, str]]
    styles: list[str]
    tasters: list[str]
    findings: list[str]
    words: list[str]


def read_choices(session: Session, coffee_id: int) -> Choices:
    """Everything that some shot of the coffee has."""
    of = _of_coffee(coffee_id)

    def every(query: Any) -> list[Any]:
        return list(session.scalars(query.where(*of).distinct().order_by(text("1"))))

    bags = select(BagRow.id, BagRow.roasted_on).join(ShotRow, ShotRow.bag_id == BagRow.id)
    machines = select(MachineRow.id, MachineRow.name).join(ShotRow)
    styles = select(ProfileRow.style).join(VersionRow).join(ShotRow)
    tasters = select(TasterRow.name).join(ScoreRow, ScoreRow.taster_id == TasterRow.id)
    words = select(func.unnest(RemarkRow.words)).select_from(RemarkRow)
    said = [
        query.join(CupRow, CupRow.id == row.cup_id).join(ShotRow, ShotRow.id == CupRow.shot_id)
        for query, row in ((tasters, ScoreRow), (words, RemarkRow))
    ]
    found_bags = session.execute(bags.where(*of).distinct().order_by(BagRow.roasted_on))
    found_machines = session.execute(machines.where(*of).distinct().order_by(MachineRow.name))
    return Choices(
        bags=[(number, roasted_on) for number, roasted_on in found_bags],
        machines=[(number, name) for number, name in found_machines],
        styles=every(styles.where(ProfileRow.style.is_not(None))),
        tasters=every(said[0]),
        findings=every(select(func.unnest(ShotRow.findings))),
        words=every(said[1]),
    )


def read_baseline(session: Session, coffee_id: int) -> BaselineRow | None:
    """A coffee's baseline, if one was pinned."""
    return session.get(BaselineRow, coffee_id)
