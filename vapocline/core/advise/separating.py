"""The shot that separates what two changes did, where they were made at once."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from vapocline.core.advise.between import moves_between
from vapocline.core.advise.moves import MOVE, Where
from vapocline.core.puck.plan import Plan


class Separation(NamedTuple):
    """Two changes made at once, in words, and the plan with only the first of them."""

    first: str
    second: str
    plan: Plan


def separate(before: Plan, after: Plan) -> Separation | None:
    """The earlier shot with only one of two changes; None where not just two moves lie between."""
    moves = moves_between(before, after)
    if len(moves) != 2 or not all(one in MOVE for one in moves):
        return None
    first, second = sorted((MOVE[one] for one in moves), key=lambda one: EASIEST.index(one.where))
    if first.where == second.where:
        return None
    return Separation(first.words, second.words, PART_OF[first.where](before, after))


EASIEST: tuple[Where, ...] = ("water", "drink", "profile", "dose", "grind")  # to make alone


def _setup_part(field: str) -> Callable[[Plan, Plan], Plan]:
    def part(before: Plan, after: Plan) -> Plan:
        value = getattr(after.setup, field)
        return before.model_copy(update={"setup": before.setup.model_copy(update={field: value})})

    return part


def _drink_part(before: Plan, after: Plan) -> Plan:
    profile = before.profile.model_copy(update={"stop": after.profile.stop})
    return before.model_copy(update={"profile": profile})


def _profile_part(before: Plan, after: Plan) -> Plan:
    profile = before.profile.model_copy(update={"phases": after.profile.phases})
    return before.model_copy(update={"profile": profile})


PART_OF: dict[Where, Callable[[Plan, Plan], Plan]] = {
    "grind": _setup_part("grind_um"),
    "dose": _setup_part("dose_g"),
    "water": _setup_part("water_c"),
    "drink": _drink_part,
    "profile": _profile_part,
}
