"""The open formats as JSON Schema, written from our own types."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel

from vapocline.core.formats.shot import ShotDocument
from vapocline.core.learn.learning import Learning
from vapocline.core.machine.machine import Machine
from vapocline.core.plan.goal import Goal
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.knowledge import Knowledge
from vapocline.core.puck.plan import Plan

DOCUMENTS: dict[str, type[BaseModel]] = {
    "profile": Profile,
    "plan": Plan,
    "machine": Machine,
    "prediction": Prediction,
    "goal": Goal,
    "shot": ShotDocument,
    "knowledge": Knowledge,
    "learnt": Learning,
}


def schemas() -> dict[str, dict[str, Any]]:
    """Each document's JSON Schema by its name, with ranges and units."""
    return {
        name: {"$schema": "https://json-schema.org/draft/2020-12/schema"}
        | model.model_json_schema(by_alias=True)
        for name, model in DOCUMENTS.items()
    }
