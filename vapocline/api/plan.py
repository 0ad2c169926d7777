"""Routes of planning: forecast, profiles, styles, suggestions, check, translation."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator

from fastapi import APIRouter, Response
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, ConfigDict

from vapocline.api.dependencies import ERRORS, IN_TURN, WITH_BUDGET, AtBench, Live, as_json
from vapocline.core.plan.goal import Goal, GoalResult
from vapocline.core.plan.sensitivity import Sensitivity
from vapocline.core.plan.simple import Slid, Sliders
from vapocline.core.plan.start_water import StartWater
from vapocline.core.plan.suggestions import Suggested, SuggestionAsk
from vapocline.core.plan.translate.translation import Translation
from vapocline.core.plan.what_if import Variant
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.plan import Members, Plan
from vapocline.desk.plan import (
    check,
    first_grind,
    goals,
    profiles,
    recipe,
    styles,
    suggestions,
    translation,
)
from vapocline.desk.plan import forecast as forecasts

router = APIRouter(prefix="/api", responses=ERRORS, dependencies=WITH_BUDGET)
LINES = "application/x-ndjson"


class Draft(BaseModel):
    """A profile as it stands on the page, saved or not; more than one member gives ranges."""

    model_config = ConfigDict(extra="forbid")

    profile: Profile
    members: Members = 1


class Suggestion(BaseModel):
    """What to work out for a draft."""

    model_config = ConfigDict(extra="forbid")

    profile: Profile
    ask: SuggestionAsk


class SliderDraft(BaseModel):
    """A draft and where the simple sliders stand."""

    model_config = ConfigDict(extra="forbid")

    profile: Profile
    sliders: Sliders


@router.post("/bench/check", operation_id="checkOnBench", dependencies=IN_TURN)
def check_on_bench(context: AtBench, draft: Draft, machine_id: int | None = None) -> check.Checked:
    """What of a draft the bench's machine, or another, cannot take."""
    return check.check(context, draft.profile, machine_id)


@router.post("/bench/first-grind", operation_id="readFirstGrind", dependencies=IN_TURN)
def read_first_grind(context: AtBench, draft: Draft) -> first_grind.FirstGrind | None:
    """The grind to begin with for a coffee that was never pulled here."""
    return first_grind.first_grind(context, draft.profile)


@router.post("/bench/start-water", operation_id="readStartWater", dependencies=IN_TURN)
def read_start_water(context: AtBench, draft: Draft) -> StartWater | None:
    """The water to begin with for the bench's roast, with its predicted effect."""
    return styles.propose_water(context, draft.profile)


@router.post(
    "/bench/fix", operation_id="fixOnBench", dependencies=IN_TURN, response_model=check.Fixed
)
def fix_on_bench(context: AtBench, asked: check.FixRequest) -> Response:
    """A draft with one misfit fixed, or all, and what that does to the shot."""
    return as_json(check.fix(context, asked))


@router.post(
    "/bench/intended",
    operation_id="intendedOnBench",
    dependencies=IN_TURN,
    response_model=Prediction,
)
def intended_on_bench(context: AtBench, draft: Draft) -> Response:
    """The shot a draft means, by a machine like the bench's that can run it."""
    return as_json(check.wanted(context, draft.profile))


@router.post("/bench/fixes", operation_id="fixEffects", dependencies=IN_TURN)
def fix_effects(context: AtBench, draft: Draft) -> list[check.FixEffect]:
    """What each fix would do to the shot; nothing is changed."""
    return check.fix_effects(context, draft.profile)


@router.post(
    "/translations",
    operation_id="translate",
    response_class=StreamingResponse,
    responses={
        200: {
            "content": {LINES: {"schema": {"type": "string"}}},
            "description": "A line of JSON each time the search comes nearer, and one at its end.",
        }
    },
)
async def translate(
    context: AtBench, live: Live, asked: translation.TranslationAsked
) -> StreamingResponse:
    """Translate a draft to another machine; closing the answer stops the search."""
    number = await asyncio.to_thread(translation.ask_translation, context, asked)

    async def lines() -> AsyncIterator[str]:
        following = translation.follow_translation(context, live, number)
        async with contextlib.aclosing(following):
            async for one in following:
                yield one.model_dump_json(by_alias=True) + "\n"

    return StreamingResponse(lines(), media_type=LINES)


@router.post(
    "/translations/compared",
    operation_id="compareTranslation",
    dependencies=IN_TURN,
    response_model=Translation,
)
def compare_translation(context: AtBench, asked: translation.ComparedAsked) -> Response:
    """What a program makes of a draft's shot, without a search."""
    return as_json(translation.compare_translation(context, asked))


@router.post(
    "/bench/forecast",
    operation_id="forecast",
    dependencies=IN_TURN,
    response_model=forecasts.Forecast,
)
def forecast(context: AtBench, draft: Draft) -> Response:
    """Predict a draft on the bench."""
    return as_json(forecasts.forecast(context, draft.profile, draft.members))


@router.post(
    "/predictions", operation_id="predict", dependencies=IN_TURN, response_model=Prediction
)
def predict_plan(plan: Plan) -> Response:
    """Predict a whole plan, as `./vapo predict` does."""
    return as_json(forecasts.predict_plan(plan))


@router.post("/predictions/sensitivities", operation_id="planSensitivities", dependencies=IN_TURN)
def plan_sensitivities(plan: Plan) -> list[Sensitivity]:
    """What one step of each number of a plan does."""
    return forecasts.plan_sensitivities(plan)


@router.post("/predictions/goal", operation_id="seekGoal", dependencies=IN_TURN)
def seek_goal(goal: Goal) -> GoalResult:
    """The value of one or two numbers that brings a shot to what is wanted, or the nearest."""
    return forecasts.seek_goal(goal)


@router.post("/bench/what-if", operation_id="whatIf", dependencies=IN_TURN)
def what_if(context: AtBench, draft: Draft) -> list[Variant]:
    """A draft with the grind, dose, rest or water a little different."""
    return suggestions.what_if_on_bench(context, draft.profile)


@router.post(
    "/bench/suggestions", operation_id="suggest", dependencies=IN_TURN, response_model=Suggested
)
def suggest(context: AtBench, suggestion: Suggestion) -> Response:
    """Work out a suggestion for a draft; nothing is changed."""
    return as_json(suggestions.ask_suggestion(context, suggestion.profile, suggestion.ask))


@router.post("/bench/slide", operation_id="slide", dependencies=IN_TURN, response_model=Slid)
def slide(context: AtBench, slid: SliderDraft) -> Response:
    """Move a draft by the simple sliders, and say what that did."""
    return as_json(suggestions.slide_on_bench(context, slid.profile, slid.sliders))


@router.post("/bench/adjustables", operation_id="listAdjustables", dependencies=IN_TURN)
def list_adjustables(context: AtBench, draft: Draft) -> list[goals.AdjustableOut]:
    """Every number of a draft that a goal may move."""
    return goals.list_adjustables(context, draft.profile)


@router.post(
    "/bench/goal", operation_id="seekOnBench", dependencies=IN_TURN, response_model=goals.Sought
)
def seek_on_bench(context: AtBench, asked: goals.GoalAsked) -> Response:
    """What brings a draft to what is wanted of it; nothing is changed."""
    return as_json(goals.seek_on_bench(context, asked))


@router.get("/styles", operation_id="listStyles")
def list_styles(context: AtBench) -> list[styles.StyleWords]:
    """Every style to start from, the one that suits the bench best first."""
    return styles.list_styles(context)


@router.get(
    "/styles/{key}/fitted",
    operation_id="fitStyle",
    dependencies=IN_TURN,
    response_model=styles.FittedStyle,
)
def fit_style(context: AtBench, key: str, regrind: bool = True) -> Response:
    """A style solved for what stands on the bench."""
    return as_json(styles.fit_style(context, key, regrind=regrind))


@router.get("/profiles", operation_id="listProfiles")
def list_profiles(context: AtBench) -> list[profiles.ProfileLine]:
    """Every profile with its newest version's number."""
    return profiles.list_profiles(context)


@router.post("/profiles", operation_id="startProfile", status_code=201)
def start_profile(context: AtBench, new: profiles.NewProfile) -> profiles.Version:
    """Start a profile."""
    return profiles.start_profile(context, new)


@router.get("/profiles/{profile_id}", operation_id="readProfile")
def read_profile(context: AtBench, profile_id: int) -> profiles.History:
    """A profile with its versions."""
    return profiles.read_history(context, profile_id)


@router.get("/profiles/{profile_id}/recipe", operation_id="recipeWithin")
def recipe_within(context: AtBench, profile_id: int) -> recipe.RecipeWithin:
    """What the dose's tolerance does to a profile, and the weight to stop it at."""
    return recipe.recipe_within(context, profile_id)


@router.post("/profiles/{profile_id}/versions", operation_id="saveVersion", status_code=201)
def save_version(context: AtBench, profile_id: int, new: profiles.NewVersion) -> profiles.Version:
    """Save a draft as the next version."""
    return profiles.save_version(context, profile_id, new)


@router.get("/profiles/{profile_id}/versions/{number}", operation_id="readVersion")
def read_version(context: AtBench, profile_id: int, number: int) -> profiles.Version:
    """One version."""
    return profiles.read_version(context, profile_id, number)


@router.put("/profiles/{profile_id}/versions/{number}/purpose", operation_id="setPurpose")
def set_purpose(
    context: AtBench, profile_id: int, number: int, said: profiles.PurposeSaid
) -> profiles.Version:
    """Say what a version is pulled for."""
    return profiles.set_purpose(context, profile_id, number, said)


@router.post("/profiles/{profile_id}/versions/{number}/changes", operation_id="changesSince")
def changes_since(context: AtBench, profile_id: int, number: int, draft: Draft) -> profiles.Since:
    """What a draft changes from a version."""
    return profiles.changes_since(context, profile_id, number, draft.profile)
