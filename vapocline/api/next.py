"""Routes of what to change next."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Response

from vapocline.api.dependencies import ERRORS, WITH_BUDGET, AtBench, as_json
from vapocline.core.advise.guided import GuidedAim
from vapocline.core.advise.rules import TRIGGERS, Trigger
from vapocline.core.base.document import Answer
from vapocline.desk.next import guided
from vapocline.desk.next import next as changes
from vapocline.desk.next.changes import NextChange

router = APIRouter(prefix="/api", responses=ERRORS, dependencies=WITH_BUDGET)
MOST = 30
Triggers = Annotated[list[Trigger], Query(default_factory=list, max_length=MOST)]


class TriggerWords(Answer):
    """Something that can be wished for: its name, in words."""

    trigger: Trigger
    words: str
    source: str


@router.get("/triggers", operation_id="listTriggers")
def list_triggers() -> list[TriggerWords]:
    """Everything that a rule answers."""
    return [
        TriggerWords(trigger=trigger, words=said.words, source=said.source)
        for trigger, said in TRIGGERS.items()
    ]


@router.post("/shots/{shot_id}/next/taken", operation_id="takeChange", status_code=204)
def take_change(context: AtBench, shot_id: int, taken: changes.Taken) -> None:
    """Keep what was expected of a change that is taken."""
    changes.take_change(context, shot_id, taken)


@router.get("/shots/{shot_id}/next", operation_id="readNext", response_model=changes.Next)
def read_next(context: AtBench, shot_id: int, off: Triggers, wished: Triggers) -> Response:
    """What was found on a shot, and the changes that answer it."""
    return as_json(changes.read_next(context, shot_id, frozenset(off), frozenset(wished)))


@router.get("/shots/{shot_id}/next/{move}/refitted", operation_id="readRefittedChange")
def read_refitted(
    context: AtBench, shot_id: int, move: changes.MoveName, off: Triggers, wished: Triggers
) -> NextChange | None:
    """A change with the grind refitted to keep the shot time; null where that is kept anyway."""
    return changes.read_refitted(context, shot_id, move, frozenset(off), frozenset(wished))


@router.post("/shots/{shot_id}/guided-run", operation_id="startGuidedRun")
def start_run(context: AtBench, shot_id: int, wanted: GuidedAim) -> guided.GuidedRun:
    """Move one number shot by shot from here, until a figure is where it is wanted."""
    return guided.start_run(context, shot_id, wanted)


@router.get("/coffees/{coffee_id}/guided-run", operation_id="readGuidedRun")
def read_run(context: AtBench, coffee_id: int) -> guided.GuidedRun | None:
    """The guided run under way of a coffee."""
    return guided.read_run(context, coffee_id)


@router.delete("/coffees/{coffee_id}/guided-run", operation_id="endGuidedRun", status_code=204)
def end_run(context: AtBench, coffee_id: int) -> None:
    """End a coffee's guided run; its shots stay."""
    guided.end_run(context, coffee_id)
