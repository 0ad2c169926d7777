"""The route of what pages need to know of the rules."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel

from vapocline.api.dependencies import ERRORS, AtBench
from vapocline.core.base.quantities import RANGES
from vapocline.core.taste.ages import FRESH_S, PROMPTS, Prompt
from vapocline.core.taste.tasting import ATTRIBUTES, HIGH, LOW, Attribute
from vapocline.core.taste.words import WORD_GROUPS

router = APIRouter(prefix="/api", responses=ERRORS)


class Form(BaseModel):
    """What the pages need to know of the rules: the tasting form, flavour words to choose from,
    when cups are due (for `fresh_s` after a shot), and every quantity's range."""

    attributes: list[Attribute]
    words: dict[str, list[str]]
    prompts: list[Prompt]
    fresh_s: float
    lowest: int
    highest: int
    ranges: dict[str, tuple[float, float, str]]
    members: int


@router.get("/form", operation_id="readForm")
def read_form(context: AtBench) -> Form:
    """The tasting form and the ranges."""
    return Form(
        attributes=list(ATTRIBUTES),
        words={group: list(words) for group, words in WORD_GROUPS.items()},
        prompts=list(PROMPTS),
        fresh_s=FRESH_S,
        lowest=LOW,
        highest=HIGH,
        members=context.resources.members,
        ranges={name: (bounds.low, bounds.high, bounds.unit) for name, bounds in RANGES.items()},
    )
