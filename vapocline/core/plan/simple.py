"""Simple mode: three sliders that move a profile as one would by hand, and say what they did.

Each notch is a change a taster can tell. What a slider is for is checked against the prediction:
where the model says the opposite, the words say so instead of promising.
"""

from __future__ import annotations

from typing import Annotated, Any, NamedTuple

from pydantic import Field

from vapocline.core.base.amounts import change
from vapocline.core.base.document import Answer, Document
from vapocline.core.base.quantities import RANGES
from vapocline.core.base.rounding import to_step
from vapocline.core.machine.commands import levels_of
from vapocline.core.machine.steps import to_machine_steps
from vapocline.core.profile.differences import profile_differences
from vapocline.core.profile.profile import FlowCommand, Phase, Profile
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.check import refuse_unrunnable
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import predict

MOST = 3
Notch = Annotated[int, Field(ge=-MOST, le=MOST)]
BOLDER = 0.06  # of every pressing level, a notch
BOLDER_DRINK = 0.03  # and off the drink: force alone thins it, as the shot gets shorter
LONGER = 0.08  # of the drink, a notch
ROUNDER_SOAK = 0.20  # of the time before the press, a notch
ROUNDER_FILL = 0.12  # off the flow that fills, a notch
ROUNDER_END = 0.09  # off the pressure the shot ends at, a notch
SOAKS = ("fill", "pre-infusion", "bloom")


class Sliders(Document):
    """How far each slider stands from the middle, -3 to 3: bolder, longer and rounder are up."""

    bolder: Notch = 0
    longer: Notch = 0
    rounder: Notch = 0


class Slid(Answer):
    """The profile the sliders make, what they changed, and what that should do, in words."""

    profile: Profile
    differences: list[str]
    effects: list[str]
    before: Prediction
    after: Prediction


def slide(plan: Plan, sliders: Sliders) -> Slid:
    """Move a plan's profile by the sliders. Raises Refused where it cannot run as it stands."""
    refuse_unrunnable(plan)
    plan = plan.model_copy(update={"members": 1})
    profile = plan.profile
    if sliders.bolder:
        profile = _bolder(profile, plan, sliders.bolder)
    drink = (1 + LONGER * sliders.longer) * (1 - BOLDER_DRINK * sliders.bolder)
    if drink != 1:
        profile = _longer(profile, drink)
    if sliders.rounder:
        profile = _rounder(profile, plan, sliders.rounder)
    if profile != plan.profile:
        profile = to_machine_steps(profile, plan.setup.machine)
    before, after = predict(plan), predict(plan.model_copy(update={"profile": profile}))
    return Slid(
        profile=profile,
        differences=profile_differences(plan.profile, profile),
        effects=_effects(sliders, before, after),
        before=before,
        after=after,
    )


def _bolder(profile: Profile, plan: Plan, notches: int) -> Profile:
    """Every pressing level, up or down by a share, within what the machine gives."""
    tops = levels_of(plan.setup.machine)

    def move(phase: Phase) -> Phase:
        if phase.kind in SOAKS or not hasattr(phase.command, "to"):
            return phase
        top = tops.get(phase.command.control, 15.0)
        factor = 1 + BOLDER * notches
        document = phase.written()
        for end in ("to",) if phase.kind == "ramp" else ("from", "to"):
            document["command"][end] = round(min(top, document["command"][end] * factor), 2)
        limit = document["limit"].get("pressure_bar")
        if limit:
            document["limit"]["pressure_bar"] = round(
                min(plan.setup.machine.relief_bar, limit * factor), 2
            )
        return Phase.model_validate(document)

    return _joined(profile, tuple(move(phase) for phase in profile.phases))


def _joined(profile: Profile, phases: tuple[Phase, ...]) -> Profile:
    """Phases moved on their own, with every ramp brought to start where the one before ends."""
    joined: list[Phase] = []
    for index, phase in enumerate(phases):
        old = profile.phases[index - 1] if index else None
        document = phase.written()
        if old is not None and _meets(old, profile.phases[index]):
            before = joined[-1].written()["command"]
            if before["control"] == document["command"]["control"]:
                document["command"]["from"] = before["to"]
        joined.append(Phase.model_validate(document))
    return profile.model_copy(update={"phases": tuple(joined)})


def _meets(old: Phase, phase: Phase) -> bool:
    """Whether a moving phase began where the phase before it ended."""
    ended, began = getattr(old.command, "to", None), getattr(phase.command, "from_", None)
    return phase.over > 0 and ended is not None and ended == began


def _longer(profile: Profile, factor: float) -> Profile:
    """More or less drink: the weight, or the water, that stops the shot."""
    stop = profile.stop
    changes = {
        name: min(RANGES[name].high, max(RANGES[name].low, to_step(value * factor, 0.5)))
        for name in ("cup_g", "water_ml")
        if (value := getattr(stop, name)) is not None
    }
    phases = tuple(_stretched(phase, factor) for phase in profile.phases)
    time = min(RANGES["seconds"].high, round(stop.time_s * max(1.0, factor)))
    stop = stop.model_copy(update={**changes, "time_s": time})
    return profile.model_copy(update={"stop": stop, "phases": phases})


def _stretched(phase: Phase, factor: float) -> Phase:
    """A move along the cup goes with the drink; the time a press may take, too."""
    document: dict[str, Any] = phase.written()
    if document["along"] == "cup" and document["over"] > 0:
        document["over"] = round(document["over"] * factor, 1)
    if phase.kind not in SOAKS and factor > 1:
        for rule in document["exits"]:
            if rule["when"] == "seconds" and len(document["exits"]) == 1 and rule["value"] >= 20:
                rule["value"] = min(RANGES["seconds"].high, round(rule["value"] * factor))
    return Phase.model_validate(document)


def _rounder(profile: Profile, plan: Plan, notches: int) -> Profile:
    """A longer soak and a softer end one way; a shorter soak and a firmer end the other."""
    phases = list(profile.phases)
    soaks = [i for i, phase in enumerate(phases) if phase.kind in SOAKS[1:]] or [0]
    for i in soaks:
        if phases[i].kind in SOAKS:
            phases[i] = _soaked(phases[i], 1 + ROUNDER_SOAK * notches)
    phases[0] = _filled(phases[0], plan, 1 - ROUNDER_FILL * notches)
    last = phases[-1]
    if last.command.control in ("pressure", "force", "valve"):
        phases[-1] = _ended(last, plan, notches)
    return profile.model_copy(update={"phases": tuple(phases)})


def _filled(phase: Phase, plan: Plan, factor: float) -> Phase:
    """A first phase that commands flow, slower or faster."""
    if phase.kind not in SOAKS or not isinstance(phase.command, FlowCommand):
        return phase
    top = plan.setup.machine.top_flow_ml_s
    ends = (phase.command.from_, phase.command.to)
    start, end = (round(min(top, max(0.5, flow * factor)), 2) for flow in ends)
    return phase.model_copy(update={"command": FlowCommand(from_=start, to=end)})


def _soaked(phase: Phase, factor: float) -> Phase:
    document = phase.written()
    for rule in document["exits"]:
        if rule["when"] in ("seconds", "water_ml", "cup_g"):
            bounds = RANGES[rule["when"]]
            rule["value"] = round(min(bounds.high, max(bounds.low, rule["value"] * factor)), 1)
    return Phase.model_validate(document)


def _ended(phase: Phase, plan: Plan, notches: int) -> Phase:
    """The last phase's end level; one that was held becomes a fall along the cup."""
    document = phase.written()
    command = document["command"]
    top = levels_of(plan.setup.machine).get(phase.command.control, 15.0)
    level = command["from"] if phase.over > 0 else command["to"]
    end = command["to"] - notches * ROUNDER_END * level
    command["to"] = round(max(0.3 * level, min(top, end)), 2)
    if phase.over == 0:
        command["from"] = level
        if command["to"] != level:
            drink = plan.profile.stop.cup_g or 2 * plan.setup.dose_g
            document |= {"along": "cup", "over": drink}
    return Phase.model_validate(document)


class Promise(NamedTuple):
    """What a slider is for: a figure, which way it should go, and how each way is said."""

    more: str
    less: str
    name: str
    least: float  # a change smaller than this nobody could tell


PROMISES = {
    "bolder": Promise("bolder", "gentler", "strength", 0.1),
    "rounder": Promise("rounder", "brighter", "bright share", 0.3),
}


def _effects(sliders: Sliders, before: Prediction, after: Prediction) -> list[str]:
    """What the change should do, figure by figure, and whether each slider does what it is for."""
    said = []
    changes = (
        ("shot", before.shot_time_s.value, after.shot_time_s.value, "s", 0.3),
        ("yield", before.yield_g.value, after.yield_g.value, "g", 0.5),
        ("strength", before.tds_pct.value, after.tds_pct.value, "points", 0.1),
        (
            "extraction",
            before.extraction_yield_pct.value,
            after.extraction_yield_pct.value,
            "points",
            0.1,
        ),
        ("bright share", _bright(before), _bright(after), "%", 0.2),
    )
    for name, was, now, unit, least in changes:
        if was is not None and now is not None and abs(now - was) >= least:
            said.append(f"{name} {change(now - was, unit, 1)}")
    alone = sum(value != 0 for value in (sliders.bolder, sliders.longer, sliders.rounder)) == 1
    for slider, value in (("bolder", sliders.bolder), ("rounder", sliders.rounder)):
        if value and alone:  # another slider moves the same figures
            said.extend(_against(slider, value, before, after))
    return said or (["no noticeable change"] if sliders != Sliders() else [])


def _bright(shot: Prediction) -> float | None:
    """Share of the fast-dissolving, bright solutes in what was dissolved, %."""
    parts = [shot.classes.bright.value, shot.classes.sweet.value, shot.classes.bitter.value]
    if any(part is None for part in parts):
        return None
    total = sum(part for part in parts if part is not None)
    return 100 * (parts[0] or 0.0) / total if total else None


def _against(slider: str, value: int, before: Prediction, after: Prediction) -> list[str]:
    """Says so where the model expects the opposite of what the slider is for."""
    promise = PROMISES[slider]
    if slider == "bolder":
        was, now, sense = before.tds_pct.value, after.tds_pct.value, 1
    else:
        was, now, sense = _bright(before), _bright(after), -1
    if was is None or now is None:
        return []
    change = (now - was) * sense * (1 if value > 0 else -1)
    word = promise.more if value > 0 else promise.less
    if change < -promise.least:
        return [f"though the model expects {promise.name} to go the other way than {word} means"]
    return []
