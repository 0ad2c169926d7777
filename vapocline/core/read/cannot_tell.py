"""What a recording cannot tell, kind by kind, and why: never a guess in its place."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

from vapocline.core.read.commands import says_commands
from vapocline.core.read.findings import CannotTell, FindingKind
from vapocline.core.read.pulled import Pulled
from vapocline.core.read.resistance import Resistance

OPENING_TOLD_PCT = 20  # poor gauges show only openings above this

Need = Callable[[Pulled, Resistance | None], str | None]


def _without(*channels: Literal["pressure", "water", "cup", "temperature"]) -> Need:
    names = {
        "pressure": "pressure was not measured", "water": "there was no flow meter",
        "cup": "no scale weighed the cup", "temperature": "no group temperature was measured",
    }  # fmt: skip

    def lacks(pulled: Pulled, _resistance: Resistance | None) -> str | None:
        lacking = [one for one in channels if one not in pulled.record.known]
        if "water" in lacking and pulled.record.drained_ml:
            return "part of the water went through the relief valve"
        return names[lacking[0]] if lacking else None

    return lacks


def _with_replay(*channels: Literal["pressure", "water", "cup"]) -> Need:
    lacks = _without(*channels)

    def need(pulled: Pulled, resistance: Resistance | None) -> str | None:
        if pulled.plan is None:
            return "there is no plan to replay beside it"
        if pulled.replay is None:
            return "too little was measured to replay the plan beside it"
        if pulled.rests_unseen:
            return "the pressure rests on the way, and no command was recorded"
        return lacks(pulled, resistance)

    return need


def _unbroken(need: Need) -> Need:
    def lacks(pulled: Pulled, resistance: Resistance | None) -> str | None:
        said = need(pulled, resistance)
        if said is None and pulled.record.broken_within(0.0, pulled.record.stop_s):
            return "the record is broken"
        return said

    return lacks


def _ramps(pulled: Pulled, resistance: Resistance | None) -> str | None:
    said = _without("pressure", "cup")(pulled, resistance)
    if said is None and pulled.replay is None:
        said = "no puck of the assumed dose explains it: a plan would say what it was"
    if said is None and pulled.first_drip_s is None:
        said = "nothing dripped"
    if said is None and resistance is None:
        said = "fewer than 20 points with water through the whole puck"
    if said is None and pulled.record.gauges == "poor":
        said = f"by these gauges only openings above {OPENING_TOLD_PCT} % would show"
    return said


def _commands(pulled: Pulled, resistance: Resistance | None) -> str | None:
    if pulled.by_hand:
        return "it was pulled by hand: see how the cues were followed"
    if not says_commands(pulled.record):
        return "no command was recorded"
    return None if pulled.plan is None else _with_replay()(pulled, resistance)


def _hands(pulled: Pulled, resistance: Resistance | None) -> str | None:
    return _without("pressure")(pulled, resistance) if pulled.by_hand else None


def _plan(pulled: Pulled, _resistance: Resistance | None) -> str | None:
    return "there is no plan to compare with" if pulled.plan is None else None


def _marks(pulled: Pulled, _resistance: Resistance | None) -> str | None:
    marked = {"first_bead", "face_covered", "dry_side"} & {seen.mark for seen in pulled.marks}
    return None if marked else "nobody marked the first bead or the covered face"


_NEEDS: dict[FindingKind, Need] = {
    "record": lambda _pulled, _resistance: None,
    "meter": _with_replay("water", "cup"),
    "ran_like": _with_replay("cup"),
    "opened": _ramps,
    "run_away": _ramps,
    "early_resistance": _ramps,
    "loosened": _ramps,
    "not_reached": _commands,
    "overshoot": lambda pulled, resistance: (
        _plan(pulled, resistance) or _commands(pulled, resistance)
    ),
    "water_count": _unbroken(_with_replay("water", "cup")),
    "late_meeting": _unbroken(_with_replay("water", "cup")),
    "choked": _without("pressure", "cup"),
    "over_soaked": lambda pulled, resistance: (
        _plan(pulled, resistance) or _without("cup")(pulled, resistance)
    ),
    "first_drip": _without("cup"),
    "level": _without("cup"),
    "stop": _without("cup"),
    "by_hand": _hands,
    "pre_infusion_end": _plan,
    "temperature": lambda pulled, resistance: (
        _plan(pulled, resistance) or _without("temperature")(pulled, resistance)
    ),
    "wetting": _marks,
}


def cannot_tell(pulled: Pulled, resistance: Resistance | None) -> list[CannotTell]:
    """Every kind that stays out of reach, with the reason."""
    said = []
    for kind, need in _NEEDS.items():
        because = need(pulled, resistance)
        if because is not None:
            said.append(CannotTell(kind=kind, because=because))
    return said
