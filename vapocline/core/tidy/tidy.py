"""From a recording to a profile: its parts as phases, with exits found by what they mean."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from vapocline.core.base.amounts import grams
from vapocline.core.base.document import Answer
from vapocline.core.base.problems import Problem, Refused
from vapocline.core.base.quantities import RANGES
from vapocline.core.machine.commands import Variable, commands_of, steered_by, step_of, top_of
from vapocline.core.machine.machine import Machine
from vapocline.core.machine.steps import to_machine_steps
from vapocline.core.profile.differences import UNITS
from vapocline.core.profile.profile import Phase, Profile, Stop
from vapocline.core.shot.traces import Traces
from vapocline.core.tidy.curve import GRID_S, Curve, curve_of
from vapocline.core.tidy.fit import Part, levels_at, parts_of

TOLERANCES: dict[Variable, float] = {"pressure": 0.4, "flow": 0.3, "valve": 0.15, "force": 1.0}
DRIP_NEAR_S = 0.7
CUP_NEAR_G = 0.5
ROUND_G = 5.0  # a change at a round weight was meant by weight
RISING_BAR_S = 0.4
LEAST_REACHED_BAR = 1.5
FULL_FLOW_SHARE = 0.8  # of what the pump gives: a fill this fast was not held back
SHORT_OF = 0.75  # of what follows: a rise that ends lower is the head still filling
GUARD_SHARE, GUARD_S = 1.6, 5.0  # a phase that ends by meaning ends by the clock at last


class TidyAsk(BaseModel):
    """How to tidy. `control` None takes the machine's own; `tolerance` is in its unit, None ours.

    `shift_s` is cut off the beginning; `shift_level` is added to what was read.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    control: Literal["pressure", "flow", "valve", "force"] | None = None
    tolerance: Annotated[float, Field(gt=0, le=10)] | None = None
    flatten: bool = True
    shift_s: Annotated[float, Field(ge=-10, le=60)] = 0
    shift_level: Annotated[float, Field(ge=-10, le=10)] = 0
    exits: Literal["meaning", "seconds"] = "meaning"


class Ending(Answer):
    """Why a phase ends as it does, with the moment in the recording, s."""

    phase: str
    at_s: float
    words: str


class Tidied(Answer):
    """The profile, what it asks for along the recording, and how closely that follows it.

    `asked` is None where the pump is off. `within` holds for nine tenths of the time.
    """

    profile: Profile
    control: str
    unit: str
    tolerance: float
    within: float
    time_s: list[float]
    asked: list[float | None]
    recorded: list[float]
    endings: list[Ending]


def tidy(
    traces: Traces,
    machine: Machine,
    ask: TidyAsk,
    *,
    name: str,
    stop_s: float | None = None,
    cup_g: float | None = None,
) -> Tidied:
    """Tidy a recording for a machine. `cup_g` is the weight it was stopped at, if it was weighed.

    Raises Refused where the recording is too short or the machine cannot command what is asked.
    """
    control = _control(machine, ask)
    tolerance = TOLERANCES[control] if ask.tolerance is None else ask.tolerance
    curve = curve_of(
        traces,
        control,
        machine,
        stop_s=stop_s,
        shift_s=ask.shift_s,
        shift_level=ask.shift_level,
    )
    lag = machine.flow_lag_s if control == "flow" else machine.pressure_lag_s
    jump_s = max(0.8, 4 * lag)
    parts = parts_of(
        curve,
        tolerance,
        jump_s=jump_s,
        flatten=ask.flatten,
        rests="off" in commands_of(machine) and control in ("pressure", "flow"),
    )
    made = _Phases(curve, control, machine, jump_s=jump_s, by_meaning=ask.exits == "meaning")
    phases = made.of(parts)
    stop = Stop(cup_g=None if cup_g is None or cup_g < 1 else round(cup_g, 1))
    stop = stop.model_copy(update={"time_s": _in_range(max(30.0, 2 * curve.stop_s + 20))})
    profile = Profile(name=name, phases=tuple(phases), stop=stop)
    if machine.program.stages is not None and len(phases) > machine.program.stages:
        got = f"{len(phases)} stages at a tolerance of {tolerance:g} {UNITS[control]}"
        taken = f"at most {machine.program.stages} on {machine.name}: a wider tolerance"
        raise Refused([Problem("tolerance", got, taken)])
    asked = levels_at(made.parts, curve.time_s)
    off = np.abs(asked - curve.recorded)
    return Tidied(
        profile=to_machine_steps(profile, machine),
        control=control,
        unit=UNITS[control],
        tolerance=tolerance,
        within=round(float(np.nanpercentile(off, 90)), 2) if np.isfinite(off).any() else 0.0,
        time_s=np.round(curve.time_s, 2).tolist(),
        asked=[None if np.isnan(x) else round(float(x), 3) for x in asked],
        recorded=np.round(curve.recorded, 3).tolist(),
        endings=made.endings,
    )


def _in_range(seconds: float) -> float:
    """A time to set as a limit, s: whole, and no longer than a profile takes."""
    return min(RANGES["seconds"].high, round(seconds, 0))


def _control(machine: Machine, ask: TidyAsk) -> Variable:
    able = [one for one in commands_of(machine) if one in TOLERANCES]
    own = steered_by(machine)
    if own is None:
        got = f"'{machine.name}'"
        raise Refused([Problem("machine", got, "a machine whose level can be set")])
    if ask.control is None:
        return own
    if ask.control not in able:
        taken = f"{', '.join(able)} on {machine.name}"
        raise Refused([Problem("control", f"'{ask.control}'", taken)])
    return ask.control


class _Phases:
    """Writes parts as phases, looking at the recording for what their ends mean."""

    def __init__(
        self,
        curve: Curve,
        control: Variable,
        machine: Machine,
        *,
        jump_s: float,
        by_meaning: bool,
    ) -> None:
        self._curve, self._control, self._machine = curve, control, machine
        self._by_meaning, self._jump_s = by_meaning, jump_s
        self._names: dict[str, int] = {}
        self.endings: list[Ending] = []
        self.parts: list[Part] = []  # as written, the fill taken off

    def of(self, parts: list[Part]) -> list[Phase]:
        """Every part as a phase; the filling of the head comes first where it was held back."""
        parts = self.parts = list(parts)
        phases = []
        filled = self._fill(parts)
        if filled is not None:
            phases.append(filled)
        for index, part in enumerate(parts):
            last = index == len(parts) - 1
            phases.append(self._phase(part, last=last))
        return phases

    def _fill(self, parts: list[Part]) -> Phase | None:
        """The head's filling, before there is any pressure to speak of: at its own flow, or as part
        of the first level where the pump simply ran. Takes what it covers off the parts."""
        if self._control != "pressure" or not parts or parts[0].off:
            return None
        curve = self._curve
        while len(parts) > 1 and not parts[0].off and not parts[1].off:
            length = parts[0].end_s - parts[0].start_s
            jump = not parts[0].level and (
                length <= self._jump_s or parts[0].end < SHORT_OF * parts[1].start
            )
            rises = parts[0].end < LEAST_REACHED_BAR or (
                jump and parts[0].start < LEAST_REACHED_BAR
            )
            if not rises:
                break
            gone = parts.pop(0)
            parts[0] = parts[0]._replace(start_s=gone.start_s)
        reached = np.flatnonzero(curve.pressure_bar >= LEAST_REACHED_BAR)
        until = float(curve.time_s[reached[0]]) if reached.size else 0.0
        pumping = curve.flow_ml_s[(curve.time_s > 0.5) & (curve.time_s < until)]
        flow = float(np.median(pumping)) if pumping.size else 0.0
        free = flow >= FULL_FLOW_SHARE * self._machine.top_flow_ml_s
        if "flow" not in commands_of(self._machine) or free or until < 1.5 or flow < 0.5:
            return None
        return self._flow_fill(parts, until, flow)

    def _flow_fill(self, parts: list[Part], until: float, flow: float) -> Phase:
        """A fill at a held flow, to the pressure where something else begins."""
        curve, first = self._curve, parts[0]
        level = first.start
        steady = np.abs(curve.flow_ml_s - flow) < 0.15 * flow + 0.2
        after = np.flatnonzero((curve.time_s > until) & ~steady)
        end = float(curve.time_s[after[0]]) if after.size else until
        if first.level:
            at_level = np.flatnonzero(curve.pressure_bar >= 0.95 * level)
            end = min(end, float(curve.time_s[at_level[0]])) if at_level.size else end
        end = min(max(end, until), first.end_s - GRID_S)
        bar = float(np.interp(end, curve.time_s, curve.pressure_bar))
        slope_start = bar if not first.level else first.start
        parts[0] = first._replace(start_s=end, start=slope_start)
        step = step_of("pressure", self._machine)
        value = max(step, round(bar / step) * step)
        self.endings.append(
            Ending(phase="Fill", at_s=round(end, 1), words=f"when pressure reached {bar:.1f} bar")
        )
        guard = _in_range(end * GUARD_SHARE + GUARD_S)
        exits: list[dict[str, Any]] = [{"when": "seconds", "value": guard}]
        if self._takes("pressure_above"):
            exits.insert(0, {"when": "pressure_above", "value": round(value, 3)})
        else:
            exits[0]["value"] = round(end, 1)
        level_ml_s = round(flow, 2)
        return Phase.model_validate(
            {
                "name": "Fill",
                "kind": "fill",
                "command": {"control": "flow", "from": level_ml_s, "to": level_ml_s},
                "exits": exits,
            }
        )

    def _phase(self, part: Part, *, last: bool) -> Phase:
        seconds = round(max(0.3, part.end_s - part.start_s), 1)
        kind, name = self._kind(part, last=last)
        top = top_of(self._control, self._machine)
        start, end = (round(min(max(0.0, x), top), 3) for x in (part.start, part.end))
        moves = abs(end - start) >= step_of(self._control, self._machine) / 2
        command: dict[str, Any] = {"control": "off"}
        if not part.off:
            command = {"control": self._control, "from": start, "to": end if moves else start}
        document = {
            "name": name,
            "kind": kind,
            "command": command,
            "over": seconds if moves and not part.off else 0,
            "exits": self._exits(part, name, seconds, last=last),
        }
        return Phase.model_validate(document)

    def _kind(self, part: Part, *, last: bool) -> tuple[str, str]:
        drip = self._curve.first_drip_s
        if part.off:
            return "bloom", self._named("Rest")
        if part.level:
            early = drip is None or part.end_s <= drip + 1.0
            if early and not last:
                return "pre-infusion", self._named("Pre-infusion")
            return "hold", self._named("Hold")
        if part.end > part.start:
            return "ramp", self._named("Ramp")
        return "decline", self._named("Decline")

    def _named(self, name: str) -> str:
        count = self._names[name] = self._names.get(name, 0) + 1
        return name if count == 1 else f"{name} {count}"

    def _takes(self, when: str) -> bool:
        exits = self._machine.program.exits
        return exits is None or when in exits

    def _exits(self, part: Part, name: str, seconds: float, *, last: bool) -> list[dict[str, Any]]:
        """What ended a part, by meaning where the recording shows one, and the clock as a guard."""
        if last:
            return [{"when": "seconds", "value": _in_range(3 * seconds + 20)}]
        found = self._meaning(part) if self._by_meaning else None
        if found is None:
            words = f"after {seconds:g} s"
            self.endings.append(Ending(phase=name, at_s=round(part.end_s, 1), words=words))
            return [{"when": "seconds", "value": seconds}]
        rule, words = found
        self.endings.append(Ending(phase=name, at_s=round(part.end_s, 1), words=words))
        guard = _in_range(seconds * GUARD_SHARE + GUARD_S)
        return [rule, {"when": "seconds", "value": guard}]

    def _meaning(self, part: Part) -> tuple[dict[str, Any], str] | None:
        curve, at = self._curve, part.end_s
        drip = curve.first_drip_s
        moves = not part.level and not part.off
        if drip is not None and abs(at - drip) <= DRIP_NEAR_S and self._takes("first_drip"):
            return {"when": "first_drip"}, f"at the first drip, {drip:.1f} s"
        if moves:
            return None  # a move ends when it is done
        pressure = float(np.interp(at, curve.time_s, curve.pressure_bar))
        before = float(np.interp(at - 1.0, curve.time_s, curve.pressure_bar))
        inside = curve.pressure_bar[(curve.time_s >= part.start_s) & (curve.time_s < at - 0.3)]
        rising = pressure - before >= RISING_BAR_S and (
            inside.size == 0 or pressure >= inside.max() - 0.05
        )
        if self._control != "pressure" and rising and self._takes("pressure_above"):
            step = step_of("pressure", self._machine)
            value = round(round(pressure / step) * step, 3)
            if value > 0:
                return (
                    {"when": "pressure_above", "value": value},
                    f"when pressure reached {pressure:.1f} bar",
                )
        cup = float(np.interp(at, curve.time_s, curve.cup_g))
        nearest = ROUND_G * round(cup / ROUND_G)
        if nearest >= ROUND_G and abs(cup - nearest) <= CUP_NEAR_G and self._takes("cup_g"):
            return {"when": "cup_g", "value": nearest}, f"at {grams(nearest)} in the cup"
        return None
