"""The route of what pages need to know of the rules."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel

from vapocline.api.dependencies import ERRORS, AtBench
from vapocline.core.base.quantities import RANGES
from vapocline.core.taste.ages import FRESH_S, PROMPTS
from vapocline.core.taste.tasting import ATTRIBUTES, HIGH, LOW, Warmth
from vapocline.core.taste.words import WORD_GROUPS

router = APIRouter(prefix="/api", responses=ERRORS)


class AttributeOut(BaseModel):
    """One line of the tasting form; `more` and `less` call a cup beside another."""

    field: str
    name: str
    low: str
    high: str
    more: str
    less: str


class PromptOut(BaseModel):
    """When a cup is due at a warmth, s since the shot stopped, and the age it counts from."""

    warmth: Warmth
    due_s: float
    from_s: float


class Form(BaseModel):
    """What the pages need to know of the rules: the tasting form, flavour words to choose from,
    when cups are due (for `fresh_s` after a shot), and every quantity's range."""

    attributes: list[AttributeOut]
    words: dict[str, list[str]]
    prompts: list[PromptOut]
    fresh_s: float
    lowest: int
    highest: int
    ranges: dict[str, tuple[float, float, str]]
    members: int


@router.get("/form", operation_id="readForm")
def read_form(context: AtBench) -> Form:
    """The tasting form and the ranges."""
    return Form(
        attributes=[AttributeOut(**vars(attribute)) for attribute in ATTRIBUTES],
        words={group: list(words) for group, words in WORD_GROUPS.items()},
        prompts=[PromptOut(**vars(prompt)) for prompt in PROMPTS],
        fresh_s=FRESH_S,
        lowest=LOW,
        highest=HIGH,
        members=context.resources.members,
        ranges={name: (bounds.low, bounds.high, bounds.unit) for name, bounds in RANGES.items()},
    )
