"""Routes of the application itself: whether it answers."""

from __future__ import annotations

from datetime import datetime

from fastapi import APIRouter
from pydantic import BaseModel

from vapocline.api.dependencies import ERRORS, AtBench

router = APIRouter(prefix="/api", responses=ERRORS)


class Health(BaseModel):
    """That the process answers, and its clock."""

    ok: bool
    now: datetime


@router.get("/health", operation_id="readHealth")
def read_health() -> Health:
    """Whether the application answers, whatever else is away."""
    return Health(ok=True, now=datetime.now().astimezone())


@router.get("/ready", operation_id="readReadiness")
def read_readiness(context: AtBench) -> Health:
    """Whether work can be done: the database answers too, and its disk has room."""
    context.resources.ask_database()
    context.resources.ask_disk()
    return read_health()
