"""Routes of tasting and comparing."""

from __future__ import annotations

from fastapi import APIRouter, Response

from vapocline.api.dependencies import ERRORS, AtBench, as_json
from vapocline.core.shot.result import Clock
from vapocline.core.taste.tasting import Served, Tasting, Warmth
from vapocline.desk.read import shots
from vapocline.desk.taste import compare
from vapocline.desk.taste import tasting as tastings

router = APIRouter(prefix="/api", responses=ERRORS)


@router.put("/shots/{shot_id}/tasting", operation_id="scoreShot")
def score_shot(context: AtBench, shot_id: int, tasting: Tasting) -> shots.ShotLine:
    """Write down what was tasted."""
    return tastings.score(context, shot_id, tasting)


@router.delete(
    "/shots/{shot_id}/tasting/{warmth}/{served}", operation_id="takeBackTasting", status_code=204
)
def take_back_tasting(context: AtBench, shot_id: int, warmth: Warmth, served: Served) -> None:
    """Remove one tasting."""
    tastings.take_back(context, shot_id, warmth, served)


@router.get("/compare", operation_id="compareShots", response_model=compare.Compared)
def compare_shots(context: AtBench, first: int, second: int, clock: Clock = "pump") -> Response:
    """Two shots side by side, shot times counted on a clock."""
    return as_json(compare.compare_shots(context, first, second, clock))
