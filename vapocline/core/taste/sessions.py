"""A tasting of several cups by several people: what is asked, and the design that is drawn."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Annotated, Literal, assert_never

from pydantic import BaseModel, ConfigDict, Field

from vapocline.core.base.document import Name
from vapocline.core.base.problems import Problem, Refused
from vapocline.core.base.quantities import MilkG
from vapocline.core.taste.designs import codes_for, orders_of, pairs_of, triads_of
from vapocline.core.taste.tasting import LINES, Line, Served, Warmth

SessionKind = Literal["describe", "pair", "triangle", "rank"]
Question = Literal["odd", "rank", "preferred"] | Line
QUESTIONS: tuple[Question, ...] = ("odd", "rank", "preferred", *LINES)
CUPS: dict[SessionKind, tuple[int, int]] = {
    "describe": (1, 6), "pair": (2, 4), "triangle": (2, 2), "rank": (3, 6),
}  # fmt: skip
MOST_TASTERS, MOST_ROUNDS = 8, 12
SMALLEST_CUP_G = 5.0  # less is no sip to judge by

ShotIds = Annotated[tuple[int, ...], Field(min_length=1, max_length=6)]
Tasters = Annotated[tuple[Name, ...], Field(min_length=1, max_length=MOST_TASTERS)]


class SessionSetup(BaseModel):
    """What is tasted, by whom and how.

    `lines` are scored in a description; `questions` are asked of each pair; `rounds` is how often
    each taster is served a triad, or each pair; `duplicate` hides one drink twice among the cups.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    kind: SessionKind = "describe"
    shot_ids: ShotIds
    tasters: Tasters
    blind: bool = True
    served: Served = "straight"
    milk_g: MilkG | None = None
    warmths: Annotated[tuple[Warmth, ...], Field(min_length=1, max_length=3)] = ("hot",)
    lines: tuple[Line, ...] | None = None
    questions: Annotated[tuple[Question, ...], Field(max_length=6)] = ("preferred",)
    rounds: Annotated[int, Field(ge=1, le=MOST_ROUNDS)] = 1
    duplicate: bool = False


def shares_cups(kind: SessionKind) -> bool:
    """Whether all tasters share the cups; else each is poured their own, round by round."""
    return kind in ("describe", "rank")


def cups_of(setup: SessionSetup) -> int:
    """How many different cups each taster compares."""
    return len(setup.shot_ids) + (setup.duplicate and shares_cups(setup.kind))


def check_setup(setup: SessionSetup) -> None:
    """Refuse what cannot be served or said. Raises Refused."""
    problems = list(_problems(setup))
    if problems:
        raise Refused(problems)


def _problems(setup: SessionSetup) -> Iterator[Problem]:
    least, most = CUPS[setup.kind]
    cups = cups_of(setup)
    if not least <= cups <= most:
        many = f"{least}" if least == most else f"{least} to {most}"
        yield Problem("shot_ids", f"{cups} cups", f"{many} cups for this kind of tasting")
    if len(set(setup.shot_ids)) < len(setup.shot_ids):
        accepted = "each shot once; a hidden duplicate serves one twice"
        yield Problem("shot_ids", "a shot twice", accepted)
    names = [name.casefold() for name in setup.tasters]
    if twice := next((n for n in setup.tasters if names.count(n.casefold()) > 1), None):
        yield Problem("tasters", f"'{twice}' twice", "each taster once")
    if setup.duplicate and not shares_cups(setup.kind):
        yield Problem("duplicate", "true", "false for pairs and triangles, which repeat by rounds")
    if setup.kind == "triangle" and not setup.blind:
        yield Problem("blind", "false", "true: an odd one out is only found blind")
    if setup.kind == "pair" and not setup.questions:
        yield Problem("questions", "none", "at least one question")
    if unfit := [one for one in setup.questions if one in ("odd", "rank")]:
        yield Problem("questions", f"'{unfit[0]}'", "'preferred' or lines of the form")
    if setup.lines is not None and not setup.lines:
        yield Problem("lines", "none", "at least one line of the form")
    if setup.milk_g is not None and setup.served != "milk":
        yield Problem("milk_g", f"{setup.milk_g:g}", "nothing where it is served straight")


@dataclass(frozen=True)
class Cup:
    """A cup as poured: from which of the shots, its code where it is blind."""

    shot: int
    code: str | None


@dataclass(frozen=True)
class Serving:
    """What one taster is served in one round: cups in the order they are to be tasted."""

    taster: int
    round: int
    cups: tuple[int, ...]


@dataclass(frozen=True)
class Design:
    """Every cup to pour, and who is served which in what order."""

    cups: tuple[Cup, ...]
    servings: tuple[Serving, ...]


def design(setup: SessionSetup, seed: int) -> Design:
    """Draw orders and codes. Described and ranked cups stand before all tasters; those of pairs and
    triangles are poured for one taster's round, so that nobody knows a code again.

    Raises Refused for more cups than there are codes.
    """
    tasters = len(setup.tasters)
    match setup.kind:
        case "describe" | "rank":
            shots = list(range(len(setup.shot_ids)))
            if setup.duplicate:
                shots.append(seed % len(shots))
            orders = orders_of(len(shots), tasters, seed)
            trays = [shots]
            servings = [Serving(who, 1, order) for who, order in enumerate(orders)]
        case "pair":
            served = pairs_of(len(setup.shot_ids), tasters, setup.rounds, seed)
            trays, servings = _own_cups(served)
        case "triangle":
            triads = triads_of(tasters * setup.rounds, seed)
            each = [triads[who * setup.rounds : (who + 1) * setup.rounds] for who in range(tasters)]
            trays, servings = _own_cups(each)
        case _:
            assert_never(setup.kind)
    return Design(tuple(_coded(trays, seed, setup.blind)), tuple(servings))


def _own_cups(
    served: Sequence[Sequence[tuple[int, ...]]],
) -> tuple[list[list[int]], list[Serving]]:
    trays, servings, poured = list[list[int]](), list[Serving](), 0
    for who, rounds in enumerate(served):
        for number, shots in enumerate(rounds, start=1):
            servings.append(Serving(who, number, tuple(range(poured, poured + len(shots)))))
            trays.append(list(shots))
            poured += len(shots)
    return trays, servings


def _coded(trays: list[list[int]], seed: int, blind: bool) -> Iterator[Cup]:
    if not blind:
        yield from (Cup(shot, None) for tray in trays for shot in tray)
        return
    try:
        codes = codes_for([len(tray) for tray in trays], seed)
    except ValueError:
        cups = sum(len(tray) for tray in trays)
        raise Refused([Problem("rounds", f"{cups} cups", "fewer cups: codes run out")]) from None
    for tray, own in zip(trays, codes, strict=True):
        yield from (Cup(shot, code) for shot, code in zip(tray, own, strict=True))
