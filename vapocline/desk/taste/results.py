"""What a closed session says: sentences, then means with what can be believed of them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import cast

from sqlalchemy.orm import Session

from vapocline.core.base.document import Answer
from vapocline.core.base.problems import ConflictError
from vapocline.core.taste.ages import age_warnings
from vapocline.core.taste.choices import Choice, chosen, odd_one_out, ranked
from vapocline.core.taste.conclusions import Conclusions, LikingOdds, conclude
from vapocline.core.taste.contrasts import About, Contrast
from vapocline.core.taste.descriptions import Drink, basis_words, odds_beside, verdict
from vapocline.core.taste.panel import Panel
from vapocline.core.taste.spreads import HouseSpreads
from vapocline.core.taste.tasting import BY_FIELD, Warmth
from vapocline.desk.context import Context
from vapocline.desk.read.shots import extraction_in
from vapocline.desk.taste.answers import choices_in, scores_in
from vapocline.desk.taste.spread import effect_sd_here, recipe_numbers, spreads_here
from vapocline.desk.taste.table import names_of, shots_on
from vapocline.desk.taste.target import off_target_in
from vapocline.store import taste
from vapocline.store.database import transaction
from vapocline.store.tables import ShotRow, TastingSessionRow

MOST_OTHERS = 5  # sessions of choices between the same shots that are quoted


class MeanOut(Answer):
    """A shot's score on a line, over so many tasters."""

    shot_id: int
    points: float
    tasters: int


class ContrastOut(Answer):
    """How far the second shots lie above the first on a line, with its 95 % range; None where no
    spread is known. `significant` is whether a difference may be claimed, of the recipes or of
    these cups alone; `steps` are each taster's."""

    first: list[int]
    second: list[int]
    points: float
    low: float | None
    high: float | None
    about: About
    significant: bool
    split: bool
    steps: dict[str, float]


class LineOut(Answer):
    """A line of the form over the shots."""

    field: str
    name: str
    low: str
    high: str
    means: list[MeanOut]
    contrasts: list[ContrastOut]


class ViewOut(Answer):
    """Scores at a warmth, of one taster or of all (None)."""

    warmth: Warmth
    taster: str | None
    lines: list[LineOut]


class OddsOut(Answer):
    """How probably the second shots' recipe is liked more than the first's, alike, or less; `words`
    say it beside the two names."""

    first: list[int]
    second: list[int]
    more: float
    alike: float
    less: float
    words: str


class ShotOut(Answer):
    """A shot revealed: its codes, the words it got and how often, and how far it is from its
    coffee's target. `liked_most` is of the scores as given, and claims nothing."""

    id: int
    name: str
    codes: list[str]
    liked_most: bool
    words: dict[str, int]
    shot_time_s: float | None
    yield_g: float | None
    extraction_yield_pct: float | None
    extraction_error_pct: float | None
    off_target: list[str]


class SessionResults(Answer):
    """What a closed session says: its sentences, in `notes` what they do not say, and in `warnings`
    what weakens them. `rests_on` is
    what differences are judged by, `could_tell` what tests of choice between the same shots
    found."""

    session_id: int
    says: list[str]
    notes: list[str]
    warnings: list[str]
    rests_on: str | None
    could_tell: list[str]
    odds: list[OddsOut]
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
        return _described(session, row, on_table, spreads_here(session))
    return _chosen(session, row, on_table)


def _described(
    session: Session, row: TastingSessionRow, on_table: Sequence[ShotRow], spreads: HouseSpreads
) -> SessionResults:
    given = scores_in(row, on_table)
    names = names_of(on_table)
    drinks = [Drink(names[shot.id], extraction_in(shot)) for shot in on_table]
    panels = [
        Panel([one for one in given if one.warmth == warmth], warmth)
        for warmth in cast("list[Warmth]", row.warmths)
        if any(one.warmth == warmth for one in given)
    ]
    recipes = recipe_numbers(on_table)
    effect = effect_sd_here(session, spreads)
    found = conclude(panels, spreads, recipes, effect_sd=effect)
    tasters = sorted({taster for panel in panels for taster in panel.tasters})
    own = {
        taster: conclude(panels, spreads, recipes, [taster], effect)
        for taster in (tasters if len(tasters) > 1 else ())
    }
    numbers = [shot.id for shot in on_table]
    most = _liked_most(panels, on_table)
    said = verdict(found, panels, drinks)
    return SessionResults(
        session_id=row.id,
        says=said.says,
        notes=said.notes,
        warnings=age_warnings(given),
        rests_on=basis_words(found) if found.contrasts else None,
        could_tell=_choosing_between(session, row),
        odds=[_odds_out(one, numbers) for one in found.odds],
        shots=[
            _shot_out(session, row, shot, names, spreads).model_copy(
                update={"liked_most": shot.id == most}
            )
            for shot in on_table
        ],
        views=[
            _view(panel, taster, (found, conclusions), numbers)
            for panel in panels
            for taster, conclusions in [(None, found), *own.items()]
        ],
    )


def _odds_out(one: LikingOdds, numbers: Sequence[int]) -> OddsOut:
    return OddsOut(
        first=[numbers[shot] for shot in one.first],
        second=[numbers[shot] for shot in one.second],
        more=round(one.odds.more, 2),
        alike=round(one.odds.alike, 2),
        less=round(one.odds.less, 2),
        words=odds_beside(one),
    )


def _choosing_between(session: Session, row: TastingSessionRow) -> list[str]:
    """What closed sessions of choices found about these shots."""
    here = {cup.shot_id for cup in row.cups}
    others = taste.read_choosing_between(session, here, limit=MOST_OTHERS)
    found = [_chosen_says(session, other, shots_on(session, other)) for other in others]
    return [" ".join(said[:2]) for said in found]


def _liked_most(panels: Sequence[Panel], on_table: Sequence[ShotRow]) -> int | None:
    """The shot that was liked most at the first warmth, each taster's own average left out."""
    likings = {} if not panels else {s: panels[0].centred_liking(s) for s in panels[0].shots}
    known = {shot: above for shot, above in likings.items() if above is not None}
    return on_table[max(known, key=lambda shot: known[shot])].id if len(known) > 1 else None


def _view(
    panel: Panel,
    taster: str | None,
    found: tuple[Conclusions, Conclusions],
    numbers: Sequence[int],
) -> ViewOut:
    """What one taster or all of them found. One taster's differences are claimed only where they
    are of all, or split them."""
    together, own = found
    who = panel.tasters if taster is None else [taster]
    lines = []
    for field in panel.lines:
        attribute = BY_FIELD[field]
        means = [(shot, panel.mean(shot, field, who)) for shot in panel.shots]
        lines.append(
            LineOut(
                field=field,
                name=attribute.name,
                low=attribute.low,
                high=attribute.high,
                means=[
                    MeanOut(
                        shot_id=numbers[shot], points=round(mean.points, 2), tasters=mean.tasters
                    )
                    for shot, mean in means
                    if mean is not None
                ],
                contrasts=[
                    _contrast_out(contrast, own, numbers).model_copy(
                        update={
                            "significant": own.is_significant(contrast)
                            and _of_all(contrast, together)
                        }
                    )
                    for contrast in own.contrasts
                    if (contrast.warmth, contrast.line) == (panel.warmth, field)
                ],
            )
        )
    return ViewOut(warmth=panel.warmth, taster=taster, lines=lines)


def _of_all(one: Contrast, together: Conclusions) -> bool:
    """Whether all tasters together differ by it, or are split on it."""
    return together.is_significant(one) or together.is_split(one)


def _contrast_out(one: Contrast, found: Conclusions, numbers: Sequence[int]) -> ContrastOut:
    low, high = (None, None) if one.estimate is None else one.estimate.range()
    return ContrastOut(
        first=[numbers[shot] for shot in one.first],
        second=[numbers[shot] for shot in one.second],
        points=round(one.points, 2),
        low=None if low is None else round(low, 2),
        high=None if high is None else round(high, 2),
        about=one.about,
        significant=found.is_significant(one),
        split=found.is_split(one),
        steps={taster: round(step, 2) for taster, step in one.steps.items()},
    )


def _shot_out(
    session: Session,
    row: TastingSessionRow,
    shot: ShotRow,
    names: dict[int, str],
    spreads: HouseSpreads | None,
) -> ShotOut:
    extraction = extraction_in(shot)
    return ShotOut(
        id=shot.id,
        name=names[shot.id],
        codes=[cup.code for cup in row.cups if cup.shot_id == shot.id and cup.code],
        liked_most=False,
        words=_words(row, shot.id),
        shot_time_s=shot.shot_time_s,
        yield_g=shot.yield_g,
        extraction_yield_pct=extraction and round(extraction.value_pct, 1),
        extraction_error_pct=extraction and round(extraction.error_pct, 2),
        off_target=off_target_in(session, shot, spreads, session_id=row.id) if spreads else [],
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
        notes=[],
        warnings=[],
        rests_on=None,
        could_tell=[],
        odds=[],
        shots=[_shot_out(session, row, shot, names, None) for shot in on_table],
        views=[],
    )


def _chosen_says(
    session: Session, row: TastingSessionRow, on_table: Sequence[ShotRow]
) -> list[str]:
    """The sentences of a session of choices; with the answers of earlier ones between the same
    shots, since looking again must not find more than there is."""
    names = names_of(on_table)
    drinks = [Drink(names[shot.id]) for shot in on_table]
    answers = _choices(session, row, on_table)
    if row.kind == "rank":
        return ranked(answers, drinks)
    shots = {shot.id for shot in on_table}
    earlier = [
        answer
        for other in taste.read_choosing_between(session, shots, limit=MOST_OTHERS)
        if other.kind == row.kind and other.id < row.id
        and {cup.shot_id for cup in other.cups} == shots
        for answer in _choices(session, other, on_table)
    ]  # fmt: skip
    if row.kind == "triangle":
        return odd_one_out(answers, drinks, earlier)
    return chosen(answers, drinks, row.questions, earlier)


def _choices(session: Session, row: TastingSessionRow, on_table: Sequence[ShotRow]) -> list[Choice]:
    stored = taste.read_choices(session, row.id)
    return choices_in(row, stored, taste.read_servings(session, row.id), on_table)
