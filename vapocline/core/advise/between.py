"""What lies between two plans: the one move, none, or more than one."""

from __future__ import annotations

from collections.abc import Sequence

from vapocline.core.advise.moves import SOAKS
from vapocline.core.profile.profile import (
    CupExit,
    FirstDripExit,
    FlowCommand,
    Phase,
    PressureCommand,
    SecondsExit,
)
from vapocline.core.puck.plan import Plan, Setup

# What of a set-up a move changes, with the least change that is one, and the move up and down.
OF_SETUP = (
    ("grind_um", 2.0, "coarser", "finer"),
    ("dose_g", 0.25, "more_coffee", "less_coffee"),
    ("water_c", 0.5, "warmer", "cooler"),
)
LEAST_DRINK = 0.04  # of it
LEAST_S, LEAST_BAR, LEAST_FLOW = 0.5, 0.3, 0.1
PARTS = ("kind", "command", "along", "over", "shape", "limit", "exits")
NEVER_S = 1e3  # a phase without a time


def move_between(before: Plan, after: Plan) -> str | None:
    """The one move between two plans; None where there is none, or more than one."""
    moves = moves_between(before, after)
    return (moves[0] or None) if len(moves) == 1 else None


def same_recipe(one: Plan, other: Plan) -> bool:
    """Whether nothing that matters differs between two plans."""
    return not moves_between(one, other)


def moves_between(before: Plan, after: Plan) -> list[str]:
    """Every difference by the move it is, "" for one that is none."""
    moves = [*_of_setup(before.setup, after.setup), *_of_drink(before, after)]
    return moves + _of_phases(before.profile.phases, after.profile.phases)


def _of_setup(before: Setup, after: Setup) -> list[str]:
    found = []
    for field, least, up, down in OF_SETUP:
        change = float(getattr(after, field)) - float(getattr(before, field))
        if abs(change) >= least:
            found.append(up if change > 0 else down)
    if before.machine.name != after.machine.name or before.roast != after.roast:
        found += ["", ""]  # another machine or coffee is more than a move
    return found


def _of_drink(before: Plan, after: Plan) -> list[str]:
    was, now = before.profile.stop.cup_g, after.profile.stop.cup_g
    if was is None or now is None or abs(now / was - 1) < LEAST_DRINK:
        return []
    return ["longer_drink" if now > was else "shorter_drink"]


def _of_phases(before: Sequence[Phase], after: Sequence[Phase]) -> list[str]:
    """A move for each phase that differs; "" for a difference that is none of them."""
    if len(before) != len(after):
        return _of_one_more(before, after)
    peak = max((_level(phase) for phase in before), default=0.0)
    found: list[str] = []
    for was, now in zip(before, after, strict=True):
        if apart := _apart(was, now):
            found.append(_of_phase(was, now, peak) if len(apart) == 1 else "")
    if set(found) in ({"lower_peak"}, {"higher_peak"}):  # all that reach the peak go with it
        return found[:1]
    return found


def _apart(was: Phase, now: Phase) -> list[str]:
    """The parts in which two phases differ, whatever they are called."""
    return [part for part in PARTS if getattr(was, part) != getattr(now, part)]


def _of_one_more(before: Sequence[Phase], after: Sequence[Phase]) -> list[str]:
    """A soak put in or left out, or a press that falls at its end; "" for any other."""
    if len(before) > len(after):
        return ["shorter_soak"] if _soak_added(after, before) else [""]
    if _soak_added(before, after):
        return ["longer_soak"]
    return ["falling_end"] if _end_falls(before, after) else [""]


def _soak_added(less: Sequence[Phase], more: Sequence[Phase]) -> bool:
    return any(
        phase.kind == "pre-infusion" and _alike(less, [*more[:at], *more[at + 1 :]])
        for at, phase in enumerate(more)
    )


def _end_falls(before: Sequence[Phase], after: Sequence[Phase]) -> bool:
    return (
        len(after) == len(before) + 1
        and after[-1].kind == "decline"
        and _alike(before[:-1], after[:-2])
        and _apart(before[-1], after[-2]) == ["exits"]
    )


def _alike(some: Sequence[Phase], others: Sequence[Phase]) -> bool:
    return len(some) == len(others) and not any(map(_apart, some, others))


def _of_phase(was: Phase, now: Phase, peak: float) -> str:
    if isinstance(was.command, PressureCommand) and isinstance(now.command, PressureCommand):
        end = now.command.to - was.command.to
        if was.kind == "decline" and was.command.from_ == now.command.from_ and abs(end) > 0:
            return "longer_tail" if end < 0 else "shorter_tail"
        change = _level(now) - _level(was)
        if abs(change) >= LEAST_BAR:
            at_peak = _level(was) >= peak - LEAST_BAR
            return ("higher_peak" if change > 0 else "lower_peak") if at_peak else ""
    if isinstance(was.command, FlowCommand) and isinstance(now.command, FlowCommand):
        change = now.command.to - was.command.to
        if abs(change) >= LEAST_FLOW:
            if was.kind in ("fill", "pre-infusion"):
                return "gentler_fill" if change < 0 else ""
            return "more_flow" if change > 0 else "less_flow"
    if was.kind == "decline" and abs(now.over - was.over) >= LEAST_S:
        return "longer_tail" if now.over > was.over else "shorter_tail"
    return _of_exits(was, now)


def _of_exits(was: Phase, now: Phase) -> str:
    if was.kind in SOAKS:
        first = [any(isinstance(one, FirstDripExit) for one in each.exits) for each in (was, now)]
        if first == [False, True]:
            return "soak_until_drip"
        change = _grams(now) - _grams(was) or _seconds(now) - _seconds(was)
        return "longer_soak" if change > 0 else "shorter_soak" if change < 0 else ""
    change = _seconds(now) - _seconds(was)
    if was.kind != "hold" or abs(change) < LEAST_S:
        return ""
    return "longer_press" if change > 0 else "shorter_press"


def _level(phase: Phase) -> float:
    command = phase.command
    return max(command.from_, command.to) if isinstance(command, PressureCommand) else 0.0


def _seconds(phase: Phase) -> float:
    return min((one.value for one in phase.exits if isinstance(one, SecondsExit)), default=NEVER_S)


def _grams(phase: Phase) -> float:
    return min((one.value for one in phase.exits if isinstance(one, CupExit)), default=0.0)
