"""What a closed session says: sentences, then means with what can be believed of them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import cast

from sqlalchemy.orm import Session

from vapocline.core.base.document import Answer
from vapocline.core.base.problems import ConflictError
from vapocline.core.taste.ages import age_warnings
from vapocline.core.taste.believable import Believable
from vapocline.core.taste.choices import chosen, odd_one_out, ranked
from vapocline.core.taste.descriptions import Drink, agreement, described, over_warmth, rests_on
from vapocline.core.taste.panel import Leans, Panel
from vapocline.core.taste.tasting import BY_FIELD, Warmth
from vapocline.desk.context import Context
from vapocline.desk.read.shots import extraction_in
from vapocline.desk.taste.answers import choices_in, scores_in
from vapocline.desk.taste.spread import believable_here
from vapocline.desk.taste.table import names_of, shots_on
from vapocline.desk.taste.target import off_target_in
from vapocline.store import taste
from vapocline.store.database import transaction
from vapocline.store.tables import ShotRow, TastingSessionRow

MOST_OTHERS = 5  # sessions of choices between the same shots that are quoted


class MeanOut(Answer):
    """A shot's score on a line. Drawn with half of `least` to either side, two bars that do not
    overlap differ by enough to believe."""

    shot_id: int
    points: float
    least: float
    tasters: int


class ApartOut(Answer):
    """How far the second shot lies above the first, and whether that can be believed."""

    first: int
    second: int
    points: float
    least: float
    believed: bool
    split: bool
    leans: dict[str, Leans]


class LineOut(Answer):
    """A line of the form over the shots."""

    field: str
    name: str
    low: str
    high: str
    means: list[MeanOut]
    apart: list[ApartOut]


class ViewOut(Answer):
    """Scores at a warmth, of one taster or of all (None)."""

    warmth: Warmth
    taster: str | None
    lines: list[LineOut]


class ShotOut(Answer):
    """A shot revealed: its codes, whose best it is, the words it got and how often, and how far it
    is from its coffee's target."""

    id: int
    name: str
    codes: list[str]
    best_of: list[str]
    words: dict[str, int]
    shot_time_s: float | None
    yield_g: float | None
    extraction_yield_pct: float | None
    extraction_error_pct: float | None
    off_target: list[str]


class SessionResults(Answer):
    """What a closed session says: its sentences, and in `warnings` what weakens them. `rests_on` is
    what the smallest believable differences are based on, `could_tell` how far the tasters agree
    and what tests of choice between the same shots found."""

    session_id: int
    says: list[str]
    warnings: list[str]
    rests_on: str | None
    could_tell: list[str]
    shots: list[ShotOut]
    views: list[ViewOut]


def read_results(context: Context, session_id: int) -> SessionResults:
    """Reveal a closed session. Raises NotFoundError, ConflictError while it is open."""
    with transaction(context.sessions) as session:
        return _results(session, taste.read_session(session, session_id))


def read_table_results(context: Context, join_code: str) -> SessionResults:
    """The same for a phone at the table. Raises NotFoundError, ConflictError while it is open."""
    with transaction(context.sessions) as session:
        return _results(session, taste.read_table(session, join_code))


def _results(session: Session, row: TastingSessionRow) -> SessionResults:
    if row.state == "open":
        raise ConflictError("Nothing is revealed before the tasting is closed.")
    on_table = shots_on(session, row)
    if row.kind == "describe":
        return _described(session, row, on_table, believable_here(session))
    return _chosen(session, row, on_table)


def _described(
    session: Session, row: TastingSessionRow, on_table: Sequence[ShotRow], smallest: Believable
) -> SessionResults:
    given = scores_in(row, on_table)
    names = names_of(on_table)
    drinks = [Drink(names[shot.id], extraction_in(shot)) for shot in on_table]
    panels = {
        warmth: Panel([one for one in given if one.warmth == warmth], smallest)
        for warmth in cast("list[Warmth]", row.warmths)
        if any(one.warmth == warmth for one in given)
    }
    says: list[str] = []
    for warmth, panel in panels.items():
        said = described(panel, drinks)
        says += [f"{warmth.capitalize()}: {one}" for one in said] if len(panels) > 1 else said
    if len(panels) > 1:
        early, *_, late = panels
        says += over_warmth(panels[early], panels[late], drinks, (early, late))
    bests = _bests(panels, on_table)
    return SessionResults(
        session_id=row.id,
        says=says or ["Nothing was scored."],
        warnings=age_warnings(given),
        rests_on=rests_on(smallest, [seat.taster.name for seat in row.seats]),
        could_tell=[
            *(one for panel in panels.values() if (one := agreement(panel))),
            *_choosing_between(session, row),
        ],
        shots=[
            _shot_out(session, row, shot, names, smallest).model_copy(
                update={"best_of": bests.get(shot.id, [])}
            )
            for shot in on_table
        ],
        views=[
            _view(panel, warmth, taster, [shot.id for shot in on_table])
            for warmth, panel in panels.items()
            for taster in (None, *(panel.tasters if len(panel.tasters) > 1 else ()))
        ],
    )


def _choosing_between(session: Session, row: TastingSessionRow) -> list[str]:
    """What closed sessions of choices found about these shots."""
    here = {cup.shot_id for cup in row.cups}
    others = taste.read_choosing_between(session, here, limit=MOST_OTHERS)
    found = [_chosen_says(session, other, shots_on(session, other)) for other in others]
    return [" ".join(said[:2]) for said in found]


def _bests(panels: dict[Warmth, Panel], on_table: Sequence[ShotRow]) -> dict[int, list[str]]:
    """Whose best each shot is, by the first warmth that tells it alone."""
    bests: dict[int, list[str]] = {}
    for panel in list(panels.values())[:1]:
        for taster in panel.tasters:
            best = panel.best_of(taster)
            if len(best) == 1:
                bests.setdefault(on_table[best[0]].id, []).append(taster)
    return bests


def _view(panel: Panel, warmth: Warmth, taster: str | None, numbers: Sequence[int]) -> ViewOut:
    who = panel.tasters if taster is None else [taster]
    lines = []
    for field in panel.lines:
        attribute = BY_FIELD[field]
        means = [(shot, panel.mean(shot, field, who)) for shot in panel.shots]
        apart = [one for one in panel.every_apart(who) if one.line == field]
        lines.append(
            LineOut(
                field=field,
                name=attribute.name,
                low=attribute.low,
                high=attribute.high,
                means=[
                    MeanOut(
                        shot_id=numbers[shot],
                        points=round(mean.points, 2),
                        least=round(mean.least, 2),
                        tasters=mean.tasters,
                    )
                    for shot, mean in means
                    if mean is not None
                ],
                apart=[
                    ApartOut(
                        first=numbers[one.first],
                        second=numbers[one.second],
                        points=round(one.points, 2),
                        least=round(one.least, 2),
                        believed=one.believed,
                        split=one.split,
                        leans=one.leans,
                    )
                    for one in apart
                ],
            )
        )
    return ViewOut(warmth=warmth, taster=taster, lines=lines)


def _shot_out(
    session: Session,
    row: TastingSessionRow,
    shot: ShotRow,
    names: dict[int, str],
    smallest: Believable | None,
) -> ShotOut:
    extraction = extraction_in(shot)
    return ShotOut(
        id=shot.id,
        name=names[shot.id],
        codes=[cup.code for cup in row.cups if cup.shot_id == shot.id and cup.code],
        best_of=[],
        words=_words(row, shot.id),
        shot_time_s=shot.shot_time_s,
        yield_g=shot.yield_g,
        extraction_yield_pct=extraction and round(extraction.value_pct, 1),
        extraction_error_pct=extraction and round(extraction.error_pct, 2),
        off_target=off_target_in(session, shot, smallest, session_id=row.id) if smallest else [],
    )


def _words(row: TastingSessionRow, shot_id: int) -> dict[str, int]:
    """How many tasters gave a shot each word, the most given first."""
    by: dict[str, set[int]] = {}
    for cup in row.cups:
        if cup.shot_id == shot_id and cup.withdrawn is None:
            for remark in cup.remarks:
                for word in remark.words:
                    by.setdefault(word, set()).add(remark.taster_id)
    return dict(sorted(((w, len(who)) for w, who in by.items()), key=lambda item: -item[1]))


def _chosen(
    session: Session, row: TastingSessionRow, on_table: Sequence[ShotRow]
) -> SessionResults:
    names = names_of(on_table)
    return SessionResults(
        session_id=row.id,
        says=_chosen_says(session, row, on_table),
        warnings=[],
        rests_on=None,
        could_tell=[],
        shots=[_shot_out(session, row, shot, names, None) for shot in on_table],
        views=[],
    )


def _chosen_says(
    session: Session, row: TastingSessionRow, on_table: Sequence[ShotRow]
) -> list[str]:
    """The sentences of a session of choices."""
    names = names_of(on_table)
    drinks = [Drink(names[shot.id]) for shot in on_table]
    answers = choices_in(
        row, taste.read_choices(session, row.id), taste.read_servings(session, row.id), on_table
    )
    if row.kind == "triangle":
        return odd_one_out(answers, drinks)
    if row.kind == "rank":
        return ranked(answers, drinks)
    said = [
        sentence
        for question in row.questions
        for sentence in chosen([a for a in answers if a.question == question], drinks, question)
    ]
    return said or ["Nothing was chosen."]
