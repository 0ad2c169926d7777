"""One sentence on top: what kind of shot it was, whether it went as planned, what stands out."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from vapocline.core.base.amounts import grams
from vapocline.core.profile.profile import PressureCommand, Profile
from vapocline.core.read.commands import says_commands
from vapocline.core.read.findings import (
    MEASURED,
    Choked,
    EarlyResistance,
    Finding,
    LateMeeting,
    Loosened,
    NotReached,
    Opened,
    OverSoaked,
    PressureOvershoot,
    RanLike,
    RecordBroken,
    RunAway,
)
from vapocline.core.read.pulled import Pulled

# Of what may be chance, only this is worth the sentence on top.
TOLD_AS_NOTES = (
    Opened,
    RunAway,
    EarlyResistance,
    Loosened,
    LateMeeting,
    NotReached,
    PressureOvershoot,
)
LEVEL_BAR = 0.6  # a press that changes by less holds


def verdict_of(pulled: Pulled, findings: Sequence[Finding]) -> str:
    """The sentence; where nothing tells whether it went as planned, it does not say so."""
    kind = _kind_of_shot(pulled)
    reported = [one for one in findings if one.kind not in MEASURED]
    weighty = [one for one in reported if one.weight == "finding"]
    stands_out = (
        weighty
        or [one for one in reported if isinstance(one, TOLD_AS_NOTES) and one.sure != "possible"]
    )[:1]
    untold = _untold(pulled)
    if not stands_out:
        return f"{kind}{_as_planned(pulled, untold)}."
    one = stands_out[0]
    if untold is not None:
        return f"{kind}. {_clause(one)}."
    if one.weight == "note":
        return f"{kind}, much as planned. A note: {_lower(_clause(one))}."
    if isinstance(one, Opened | RunAway | Loosened) and one.from_s > 3:
        return f"{kind}, as planned until {one.from_s:.0f} s. {_clause(one)}."
    return f"{kind}, not as planned. {_clause(one)}."


def _as_planned(pulled: Pulled, untold: str | None) -> str:
    if pulled.plan is None:
        return ""
    if untold is not None:
        return f". Whether it went as planned cannot be told: {untold}"
    return ", as planned"


def _untold(pulled: Pulled) -> str | None:
    """Why nobody can say whether it went as planned; None where the record tells."""
    if pulled.plan is None or pulled.replay is None:
        return "too little is known of it"
    known = pulled.record.known
    for channel, said in (("pressure", "pressure"), ("water", "the flow of water")):
        if channel in _carried_by(pulled.plan.profile) - known:
            return f"{said} was not measured"
    if pulled.plan.profile.stop.cup_g is not None and "cup" not in known:
        return "no scale weighed the cup"
    if not says_commands(pulled.record):
        return "what the machine was asked for was not recorded"
    return None


def _carried_by(profile: Profile) -> set[str]:
    """The channels in which a profile's commands show."""
    controls = {phase.command.control for phase in profile.phases}
    return {"water" if control == "flow" else "pressure" for control in controls - {"off"}}


def _clause(one: Finding) -> str:  # noqa: PLR0911 - one a kind
    """What stands out, in a clause."""
    match one:
        case Opened():
            return f"Then the puck opened and let through {one.flow_pct:.0f} % more"
        case RunAway():
            return f"Then it let through more and more, {one.flow_pct:.0f} % by the stop"
        case Loosened():
            return f"Then the puck loosened and let through {one.flow_pct:.0f} % more by the stop"
        case EarlyResistance():
            return f"The puck resisted more until {one.until_s:.0f} s, then ran as it should"
        case RanLike():
            how = "coarser" if one.grind_um > 0 else "finer"
            return f"It ran like {abs(one.grind_um):.0f} µm {how} throughout"
        case Choked():
            return f"The puck choked for {one.seconds:.0f} s under {one.pressure_bar:.0f} bar"
        case OverSoaked():
            return f"{grams(one.cup_g, 0)} had dripped before the press began"
        case RecordBroken():
            return "The record is broken, so less can be told"
        case _:
            return one.words.rstrip(".").split(". ")[0]


def _lower(text: str) -> str:
    return text[0].lower() + text[1:] if text[1:2].islower() else text


def _kind_of_shot(pulled: Pulled) -> str:
    """A bloomed, soaked or straight shot, by pressure, flow or hand, with its cup and time."""
    record = pulled.record
    profile = None if pulled.plan is None else pulled.plan.profile
    kind = "A shot" if profile is None else _by_profile(profile, by_hand=pulled.by_hand)
    cup = grams(pulled.whole_g, 1) if "cup" in record.known else ""
    peak = ""
    if profile is None and "pressure" in record.known:
        peak = f" at up to {float(np.nanmax(record.pressure_bar)):.1f} bar"
    time = f"{record.stop_s:.0f} s"
    return f"{kind}{peak}: {cup} in {time}" if cup else f"{kind}{peak} of {time}"


def _by_profile(profile: Profile, *, by_hand: bool) -> str:
    kinds = {phase.kind for phase in profile.phases}
    first = "bloomed" if "bloom" in kinds else "soaked" if "pre-infusion" in kinds else "straight"
    press = [
        phase for phase in profile.phases if phase.kind in ("ramp", "hold", "decline", "finish")
    ]
    if not press:
        return f"A {first} shot"
    if press[-1].command.control == "flow":
        return f"A {first} shot by flow" + (" by hand" if by_hand else "")
    levels = [
        level
        for phase in press
        if isinstance(phase.command, PressureCommand)
        for level in (phase.command.from_, phase.command.to)
    ]
    if not levels:
        return f"A {first} shot" + (" by hand" if by_hand else "")
    top, end = max(levels), levels[-1]
    falls = f" falling to {end:g}" if top - end > LEVEL_BAR else ""
    return f"A {first} shot at {top:g} bar{falls}" + (" by hand" if by_hand else "")
