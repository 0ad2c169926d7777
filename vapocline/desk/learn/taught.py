"""What the shots of a coffee by a grinder on a machine taught: whether it is used and why, what it
moved, which shots counted, and how its forecasts fared."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from sqlalchemy.orm import Session

from vapocline.core.base.document import Answer
from vapocline.core.base.problems import NotFoundError, shown
from vapocline.core.formats.registry import LEARNT, PLAN
from vapocline.core.learn.drift import ForecastDrift, drift_of
from vapocline.core.learn.fit import VariantOf
from vapocline.core.learn.in_units import (
    LearntUnknown,
    VariantsInUnits,
    in_units,
    variants_in_units,
)
from vapocline.core.learn.judging import Rival, Scores
from vapocline.core.learn.learning import Learning
from vapocline.desk.bench.known import learning_of, variant_key
from vapocline.desk.context import Context
from vapocline.desk.learn.forecasts import ForecastRecord, forecasts_together
from vapocline.store import shelf, shots
from vapocline.store.database import transaction
from vapocline.store.knowledge import (
    basis_of,
    follow_newest,
    keep_to,
    read_fits,
    read_in_force,
    read_pulled_together,
)
from vapocline.store.learn import Together, ask, cancel_job, read_job
from vapocline.store.tables import (
    BasketRow,
    CoffeeRow,
    GrinderRow,
    KnowledgeRow,
    MachineRow,
    PreparationRow,
    ShotRow,
)

KnowledgeOf = Literal["coffee", "grinder", "machine"]
Three = Together  # for the API, which knows no tables
MOST_TOGETHER, MOST_FITS = 50, 20


class TogetherLine(Answer):
    """A coffee by a grinder on a machine of which there are shots that count."""

    coffee_id: int
    grinder_id: int
    machine_id: int
    coffee: str
    grinder: str
    machine: str
    shots: int
    last_at: datetime


class TaughtShot(Answer):
    """One shot: whether it counted, why not, and by how much it ran unlike the others, % of
    permeability."""

    shot_id: int
    started_at: datetime
    profile: str
    tds_pct: float | None
    because: str | None
    unlike_pct: float | None


class FitLine(Answer):
    """Something that was learnt once. `current` where it is against what is assumed now of coffee,
    grinder and machine; another cannot be used."""

    id: int
    created_at: datetime
    shots: int
    strengths: int
    used: bool
    because: str
    held_out: Scores | None
    current: bool


class Taught(Answer):
    """What was learnt together, the newest. `in_force` is the number of what forecasts take, and
    `how` it came to be; `job` says whether learning waits, runs, or failed."""

    of: TogetherLine
    newest: FitLine | None
    in_force: int | None
    how: Literal["newest", "kept", "nothing"]
    job: Literal["waits", "runs", "failed"] | None
    unknowns: list[LearntUnknown]
    preparations: VariantsInUnits
    baskets: VariantsInUnits
    shots: list[TaughtShot]
    held_out: Scores | None
    rivals: dict[Rival, Scores]
    fits: list[FitLine]
    forecasts: ForecastRecord
    drift: ForecastDrift | None


class KnowledgeChoice(Answer):
    """What forecasts are to take: the newest, nothing, or something that was learnt before."""

    take: Literal["newest", "nothing", "this"]
    knowledge_id: int | None = None


def list_together(context: Context, kind: KnowledgeOf, number: int) -> list[TogetherLine]:
    """What a coffee, grinder or machine was pulled with, the newest first. Raises NotFoundError."""
    column = f"{kind}_id"
    with transaction(context.sessions) as session:
        _read(session, kind, number)
        found = read_pulled_together(
            session, getattr(ShotRow, column) == number, limit=MOST_TOGETHER
        )
    return [TogetherLine.model_validate(dict(one)) for one in found]


def _read(session: Session, kind: KnowledgeOf, number: int) -> CoffeeRow | GrinderRow | MachineRow:
    """A row of the shelf. Raises NotFoundError."""
    match kind:
        case "coffee":
            return shelf.read_one(session, CoffeeRow, number)
        case "grinder":
            return shelf.read_one(session, GrinderRow, number)
        case "machine":
            return shelf.read_one(session, MachineRow, number)


def read_taught(context: Context, together: Together) -> Taught:
    """What shots taught of the three. Raises NotFoundError where none was pulled with them."""
    with transaction(context.sessions) as session:
        basis = _basis(session, together)
        of = _line(session, together)
        fits = list(read_fits(session, together, limit=MOST_FITS))
        in_force = read_in_force(session, together, basis)
        shown = in_force.row or next(iter(fits), None)
        learning = None if shown is None else learning_of(session, shown.id, shown.created_at)
        taught = [] if learning is None else _shots(session, learning)
        forecasts = forecasts_together(session, together)
        return Taught(
            of=of,
            newest=None if not fits else _fit(fits[0], basis),
            in_force=None if in_force.row is None else in_force.row.id,
            how=in_force.how,
            job=read_job(session, together),
            unknowns=_unknowns(session, learning),
            preparations=_variants(session, learning, "preparation"),
            baskets=_variants(session, learning, "basket"),
            shots=taught,
            held_out=None if learning is None else learning.held_out,
            rivals={} if learning is None else learning.rivals,
            fits=[_fit(row, basis) for row in fits],
            forecasts=forecasts,
            drift=drift_of(
                [
                    (line.value, line.p10, line.p90, line.measured)
                    for line in reversed(forecasts.lines)
                ]
            ),
        )


def choose(context: Context, together: Together, choice: KnowledgeChoice) -> Taught:
    """Let forecasts take the newest, nothing, or what was learnt before. Raises NotFoundError for
    something that was not learnt of the three, or against what is no longer assumed."""
    with transaction(context.sessions) as session:
        basis = _basis(session, together)
        if choice.take == "newest":
            follow_newest(session, together)
        elif choice.take == "nothing":
            keep_to(session, together, None)
        else:
            fits = read_fits(session, together, limit=MOST_FITS)
            if not any(row.id == choice.knowledge_id and row.basis == basis for row in fits):
                raise NotFoundError(
                    f"Nothing that can be used now was learnt under number {choice.knowledge_id}."
                )
            keep_to(session, together, choice.knowledge_id)
    return read_taught(context, together)


def _rows(session: Session, together: Together) -> tuple[CoffeeRow, GrinderRow, MachineRow]:
    """The three. Raises NotFoundError."""
    return (
        shelf.read_one(session, CoffeeRow, together.coffee_id),
        shelf.read_one(session, GrinderRow, together.grinder_id),
        shelf.read_one(session, MachineRow, together.machine_id),
    )


def _basis(session: Session, together: Together) -> str:
    return basis_of(*_rows(session, together))


def _line(session: Session, together: Together) -> TogetherLine:
    where = [getattr(ShotRow, name) == one for name, one in together._asdict().items()]
    found = read_pulled_together(session, *where, limit=1)
    if not found:
        coffee, grinder, machine = (shown(row.name) for row in _rows(session, together))
        raise NotFoundError(f"{coffee} was never pulled by {grinder} on {machine}.")
    return TogetherLine.model_validate(dict(found[0]))


def _fit(row: KnowledgeRow, basis: str) -> FitLine:
    learning = LEARNT.read(row.learnt)
    return FitLine(
        id=row.id,
        created_at=row.created_at,
        shots=len(learning.counted),
        strengths=learning.knowledge.strengths,
        used=learning.used,
        because=learning.because,
        held_out=learning.held_out,
        current=row.basis == basis,
    )


def _unknowns(session: Session, learning: Learning | None) -> list[LearntUnknown]:
    """The unknowns in units, with the set-up of the newest shot that counted."""
    if learning is None or not learning.counted:
        return []
    row = shots.read_shot(session, int(learning.counted[-1]))
    return in_units(learning.parameters, PLAN.read(row.plan).setup)


def _variants(session: Session, learning: Learning | None, of: VariantOf) -> VariantsInUnits:
    if learning is None:
        return VariantsInUnits(variants=[], comparisons=[])
    return variants_in_units(learning, of, names_now(session, of))


def names_now(session: Session, of: VariantOf) -> dict[str, str]:
    """The names of preparations, or baskets, by what learning calls them."""
    if of == "preparation":
        return {variant_key(row.id): row.name for row in shelf.read_all(session, PreparationRow)}
    return {variant_key(row.id): row.name for row in shelf.read_all(session, BasketRow)}


def _shots(session: Session, learning: Learning) -> list[TaughtShot]:
    because = {int(one.shot): one.because for one in learning.left_out}
    unlike = {int(one.shot): one.permeability_pct for one in learning.outliers}
    numbers = [*map(int, learning.counted), *because]
    rows = sorted(
        shots.read_numbered(session, numbers).values(), key=lambda row: row.id, reverse=True
    )
    return [
        TaughtShot(
            shot_id=row.id,
            started_at=row.started_at,
            profile=f"{row.version.document['name']} v{row.version.number}",
            tds_pct=row.tds_pct,
            because=because.get(row.id),
            unlike_pct=unlike.get(row.id),
        )
        for row in rows
    ]


def ask_again(context: Context, together: Together) -> Taught:
    """Ask for learning now. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        _line(session, together)
        ask(session, together)
    return read_taught(context, together)


def call_off(context: Context, together: Together) -> Taught:
    """Call off learning that waits or runs; the next shot asks for it again."""
    with transaction(context.sessions) as session:
        cancel_job(session, together)
    return read_taught(context, together)
