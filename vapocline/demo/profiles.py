"""The profiles of Lantern Quay."""

from __future__ import annotations

from typing import Any

from vapocline.core.profile.profile import Profile
from vapocline.desk.context import Context
from vapocline.desk.plan.profiles import (
    NewProfile,
    NewVersion,
    find_profile,
    list_profiles,
    read_history,
    save_version,
    start_profile,
)

FALL = "Quay fall"


def _phase(name: str, kind: str, command: dict[str, Any], **rest: Any) -> dict[str, Any]:
    return {"name": name, "kind": kind, "command": command, **rest}


def _pressure(start: float, end: float) -> dict[str, Any]:
    return {"control": "pressure", "from": start, "to": end}


def _flow(rate: float) -> dict[str, Any]:
    return {"control": "flow", "from": rate, "to": rate}


def _seconds(value: float) -> dict[str, Any]:
    return {"when": "seconds", "value": value}


def _quay_fall(peak_bar: float, hold_s: float, limit_ml_s: float | None) -> Profile:
    limit = {} if limit_ml_s is None else {"flow_ml_s": limit_ml_s}
    return Profile.model_validate(
        {
            "name": FALL,
            "note": "Soak to 4 bar, press, then fall so that the flow stays level.",
            "stop": {"cup_g": 36, "time_s": 90},
            "phases": [
                _phase(
                    "Pre-infusion",
                    "pre-infusion",
                    _flow(4),
                    exits=[{"when": "pressure_above", "value": 4}, _seconds(20)],
                ),
                _phase("Ramp", "ramp", _pressure(4, peak_bar), over=3, exits=[_seconds(3)]),
                _phase("Hold", "hold", _pressure(peak_bar, peak_bar), exits=[_seconds(hold_s)]),
                _phase(
                    "Decline",
                    "decline",
                    _pressure(peak_bar, 5.5),
                    over=18,
                    limit=limit,
                    exits=[_seconds(60)],
                ),
            ],
        }
    )


def _long_soak() -> Profile:
    return Profile.model_validate(
        {
            "name": "Long soak",
            "note": "A gentle fill, a rest at low pressure until the first drip, then nine bar.",
            "stop": {"cup_g": 36, "time_s": 120},
            "phases": [
                _phase(
                    "Fill",
                    "fill",
                    _flow(5),
                    limit={"pressure_bar": 3},
                    exits=[{"when": "pressure_above", "value": 2}, _seconds(12)],
                ),
                _phase(
                    "Soak",
                    "pre-infusion",
                    _pressure(2, 2),
                    exits=[{"when": "first_drip"}, _seconds(25)],
                ),
                _phase(
                    "Ramp", "ramp", _pressure(2, 9), over=4, shape="smooth", exits=[_seconds(4)]
                ),
                _phase("Press", "hold", _pressure(9, 9), exits=[_seconds(50)]),
            ],
        }
    )


def _rest_and_rise() -> Profile:
    return Profile.model_validate(
        {
            "name": "Rest and rise",
            "note": "Wet the puck, rest with the pump off, then rise slowly.",
            "stop": {"cup_g": 36, "time_s": 120},
            "phases": [
                _phase(
                    "Wet",
                    "fill",
                    _flow(4),
                    limit={"pressure_bar": 6},
                    exits=[{"when": "first_drip"}, _seconds(15)],
                ),
                _phase("Rest", "bloom", {"control": "off"}, exits=[_seconds(25)]),
                _phase("Rise", "ramp", _pressure(1, 8), over=6, exits=[_seconds(6)]),
                _phase("Press", "hold", _pressure(8, 8), exits=[_seconds(40)]),
            ],
        }
    )


def _slow_rise() -> Profile:
    return Profile.model_validate(
        {
            "name": "Slow rise",
            "note": "For machines that know pressure alone: rise slowly, press, let go.",
            "stop": {"cup_g": 40, "time_s": 120},
            "phases": [
                _phase("Rise", "ramp", _pressure(2, 8.5), over=10, exits=[_seconds(10)]),
                _phase("Press", "hold", _pressure(8.5, 8.5), exits=[_seconds(10)]),
                _phase("Let go", "decline", _pressure(8.5, 6), over=15, exits=[_seconds(60)]),
            ],
        }
    )


def _quay_nine() -> Profile:
    return Profile.model_validate(
        {
            "name": "Quay nine",
            "note": "Nine bar from beginning to end, on anything that has a pump.",
            "stop": {"cup_g": 40, "time_s": 120},
            "phases": [_phase("Press", "hold", _pressure(9, 9), exits=[_seconds(90)])],
        }
    )


def design(context: Context) -> None:
    """Start each profile."""
    start_profile(context, NewProfile(name="Steady nine", style="steady-nine"))
    start_profile(context, NewProfile(name="Long soak", profile=_long_soak()))
    start_profile(context, NewProfile(name="Rest and rise", profile=_rest_and_rise()))
    start_profile(context, NewProfile(name=FALL, profile=_quay_fall(9, 8, None)))


def design_for_pressure(context: Context) -> None:
    """Start those that need a pump and nothing else, where they are missing."""
    names = {line.name for line in list_profiles(context)}
    for profile in (_slow_rise(), _quay_nine()):
        if profile.name not in names:
            start_profile(context, NewProfile(name=profile.name, profile=profile))


def refine(context: Context) -> None:
    """Save the later versions of the house's own profile, once."""
    number = find_profile(context, FALL)
    if read_history(context, number).newest.number == 1:
        save_version(context, number, NewVersion(based_on=1, profile=_quay_fall(9, 5, None)))
        levelled = NewVersion(based_on=2, label="level flow", profile=_quay_fall(8.5, 5, 1.9))
        save_version(context, number, levelled)
