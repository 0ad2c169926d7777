"""Routes of the bench, profiles, shots and tastings.

Plain functions run in worker threads, so nothing blocks the loop.
"""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

import orjson
from fastapi import APIRouter, Query, Response, WebSocket, WebSocketDisconnect
from pydantic import BaseModel, ConfigDict
from starlette.websockets import WebSocketState

from vapocline.api.surroundings import ERRORS, AtDesk, as_json
from vapocline.core.plan import Members, Plan
from vapocline.core.problems import NotFoundError
from vapocline.core.profile import Profile
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.goal import Found, Goal
from vapocline.core.puck.sensitivity import Sensitivity
from vapocline.core.quantities import RANGES
from vapocline.core.simple import Slid, Sliders
from vapocline.core.suggest import Ask, Suggested
from vapocline.core.taste import ATTRIBUTES, HIGH, LOW, Served, Tasting, Warmth
from vapocline.core.whatif import Variant
from vapocline.desk import bench, design, profiles, shots
from vapocline.desk.live import follow

router = APIRouter(prefix="/api", responses=ERRORS)


class Draft(BaseModel):
    """A profile as it stands on the page, saved or not; more than one member gives ranges."""

    model_config = ConfigDict(extra="forbid")

    profile: Profile
    members: Members = 1


class Suggestion(BaseModel):
    """What to work out for a draft."""

    model_config = ConfigDict(extra="forbid")

    profile: Profile
    ask: Ask


class SliderDraft(BaseModel):
    """A draft and where the simple sliders stand."""

    model_config = ConfigDict(extra="forbid")

    profile: Profile
    sliders: Sliders


class AttributeOut(BaseModel):
    """One line of the tasting form."""

    field: str
    name: str
    low: str
    high: str


class Form(BaseModel):
    """What the pages need to know of the rules: the tasting form and every quantity's range."""

    attributes: list[AttributeOut]
    lowest: int
    highest: int
    ranges: dict[str, tuple[float, float, str]]
    tries: int


class Health(BaseModel):
    """That the process answers, and its clock."""

    ok: bool
    now: datetime


@router.get("/health", operation_id="readHealth")
def read_health() -> Health:
    """Whether the application answers."""
    return Health(ok=True, now=datetime.now().astimezone())


@router.get("/form", operation_id="readForm")
def read_form() -> Form:
    """The tasting form and the ranges."""
    return Form(
        attributes=[AttributeOut(**vars(attribute)) for attribute in ATTRIBUTES],
        lowest=LOW,
        highest=HIGH,
        tries=bench.TRIES,
        ranges={name: (bounds.low, bounds.high, bounds.unit) for name, bounds in RANGES.items()},
    )


@router.get("/bench", operation_id="readBench")
def read_bench(desk: AtDesk) -> bench.Bench:
    """The setup in force."""
    return bench.read_bench(desk)


@router.patch("/bench", operation_id="changeBench")
def change_bench(desk: AtDesk, change: bench.BenchChange) -> bench.Bench:
    """Change some words of the setup."""
    return bench.change_bench(desk, change)


@router.post("/bench/forecast", operation_id="forecast", response_model=bench.Forecast)
def forecast(desk: AtDesk, draft: Draft) -> Response:
    """Predict a draft on the bench."""
    return as_json(bench.forecast(desk, draft.profile, draft.members))


@router.post("/predictions", operation_id="predict", response_model=Prediction)
def predict_plan(plan: Plan) -> Response:
    """Predict a whole plan, as `./vapo predict` does."""
    return as_json(bench.predict_plan(plan))


@router.post("/predictions/sensitivities", operation_id="planSensitivities")
def plan_sensitivities(plan: Plan) -> list[Sensitivity]:
    """What one step of each number of a plan does."""
    return bench.plan_sensitivities(plan)


@router.post("/predictions/goal", operation_id="seekGoal")
def seek_goal(goal: Goal) -> Found:
    """The value of one or two numbers that brings a shot to what is wanted, or the nearest."""
    return bench.seek_goal(goal)


@router.post("/bench/what-if", operation_id="whatIf")
def what_if(desk: AtDesk, draft: Draft) -> list[Variant]:
    """A draft with the grind, dose, rest or water a little different."""
    return design.what_if_on_bench(desk, draft.profile)


@router.post("/bench/suggestions", operation_id="suggest", response_model=Suggested)
def suggest(desk: AtDesk, suggestion: Suggestion) -> Response:
    """Work out a suggestion for a draft; nothing is changed."""
    return as_json(design.ask_suggestion(desk, suggestion.profile, suggestion.ask))


@router.post("/bench/slide", operation_id="slide", response_model=Slid)
def slide(desk: AtDesk, slid: SliderDraft) -> Response:
    """Move a draft by the simple sliders, and say what that did."""
    return as_json(design.slide_on_bench(desk, slid.profile, slid.sliders))


@router.post("/bench/adjustables", operation_id="listAdjustables")
def list_adjustables(desk: AtDesk, draft: Draft) -> list[design.AdjustableOut]:
    """Every number of a draft that a goal may move."""
    return design.list_adjustables(desk, draft.profile)


@router.post("/bench/goal", operation_id="seekOnBench", response_model=design.Sought)
def seek_on_bench(desk: AtDesk, asked: design.GoalAsked) -> Response:
    """What brings a draft to what is wanted of it; nothing is changed."""
    return as_json(design.seek_on_bench(desk, asked))


@router.get("/styles", operation_id="listStyles")
def list_styles() -> list[design.StyleWords]:
    """Every style to start from, in words."""
    return design.list_styles()


@router.get("/styles/{key}/fitted", operation_id="fitStyle", response_model=design.FittedStyle)
def fit_style(desk: AtDesk, key: str, regrind: bool = True) -> Response:
    """A style solved for what stands on the bench."""
    return as_json(design.fit_style(desk, key, regrind=regrind))


@router.get("/profiles", operation_id="listProfiles")
def list_profiles(desk: AtDesk) -> list[profiles.ProfileLine]:
    """Every profile with its newest version's number."""
    return profiles.list_profiles(desk)


@router.post("/profiles", operation_id="startProfile", status_code=201)
def start_profile(desk: AtDesk, new: profiles.NewProfile) -> profiles.Version:
    """Start a profile."""
    return profiles.start_profile(desk, new)


@router.get("/profiles/{profile_id}", operation_id="readProfile")
def read_profile(desk: AtDesk, profile_id: int) -> profiles.History:
    """A profile with its versions."""
    return profiles.read_history(desk, profile_id)


@router.get("/profiles/{profile_id}/recipe", operation_id="recipeWithin")
def recipe_within(desk: AtDesk, profile_id: int) -> design.RecipeWithin:
    """What the dose's tolerance does to a profile, and the weight to stop it at."""
    return design.recipe_within(desk, profile_id)


@router.post("/profiles/{profile_id}/versions", operation_id="saveVersion", status_code=201)
def save_version(desk: AtDesk, profile_id: int, new: profiles.NewVersion) -> profiles.Version:
    """Save a draft as the next version."""
    return profiles.save_version(desk, profile_id, new)


@router.get("/profiles/{profile_id}/versions/{number}", operation_id="readVersion")
def read_version(desk: AtDesk, profile_id: int, number: int) -> profiles.Version:
    """One version."""
    return profiles.read_version(desk, profile_id, number)


@router.post("/profiles/{profile_id}/versions/{number}/changes", operation_id="changesSince")
def changes_since(desk: AtDesk, profile_id: int, number: int, draft: Draft) -> profiles.Since:
    """What a draft changes from a version."""
    return profiles.changes_since(desk, profile_id, number, draft.profile)


@router.get("/shots", operation_id="listShots")
def list_shots(
    desk: AtDesk, limit: Annotated[int, Query(ge=1, le=500)] = 100
) -> list[shots.ShotLine]:
    """The newest shots."""
    return shots.list_shots(desk, limit)


@router.get("/shots/{shot_id}", operation_id="readShot")
def read_shot(desk: AtDesk, shot_id: int) -> shots.Shot:
    """One shot, whole."""
    return shots.read_shot(desk, shot_id)


@router.put("/shots/{shot_id}/tasting", operation_id="scoreShot")
def score_shot(desk: AtDesk, shot_id: int, tasting: Tasting) -> shots.ShotLine:
    """Write down what was tasted."""
    return shots.score(desk, shot_id, tasting)


@router.delete(
    "/shots/{shot_id}/tasting/{warmth}/{served}", operation_id="takeBackTasting", status_code=204
)
def take_back_tasting(desk: AtDesk, shot_id: int, warmth: Warmth, served: Served) -> None:
    """Remove one tasting."""
    shots.take_back(desk, shot_id, warmth, served)


@router.put("/shots/{shot_id}/strength", operation_id="measureShot")
def measure_shot(desk: AtDesk, shot_id: int, strength: shots.Strength) -> shots.ShotLine:
    """Note a measured strength."""
    return shots.measure(desk, shot_id, strength)


@router.get("/compare", operation_id="compareShots")
def compare_shots(desk: AtDesk, first: int, second: int) -> shots.Compared:
    """Two shots side by side."""
    return shots.compare_shots(desk, first, second)


@router.websocket("/shots/{shot_id}/live")
async def live_shot(socket: WebSocket, shot_id: int) -> None:
    """A shot as it runs: columns of new rows, events, and at the end its state."""
    await socket.accept()
    try:
        async for message in follow(socket.app.state.desk, socket.app.state.live, shot_id):
            await socket.send_text(orjson.dumps(message).decode())
    except NotFoundError:
        await socket.close(code=4404)
    except WebSocketDisconnect:
        return
    if socket.application_state is WebSocketState.CONNECTED:
        await socket.close()
