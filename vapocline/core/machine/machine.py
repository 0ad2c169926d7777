"""Machines: what can be commanded, and the water path between pump and puck."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator
from pydantic_core import PydanticCustomError

from vapocline.core.base.document import (
    Document,
    Name,
    Note,
    Plain,
    Versioned,
    nested_parts_changed,
    unknown_fields_in_place,
)
from vapocline.core.base.quantities import (
    AfterDripG,
    BarPerKg,
    BoilerMl,
    DialDrop,
    DialZeroBar,
    FloorBar,
    FlowMlS,
    HeadMl,
    HeaterW,
    HoseMlBar,
    LagS,
    PreambleS,
    PressureBar,
    PumpMaxBar,
    ReliefBar,
    RiseS,
    SpringMl,
    StepBar,
    StepKg,
    StepMlS,
    StepS,
    StepTurns,
    StrokeMl,
    TopFlowMlS,
    ValveTurns,
    WarmUpMin,
    WaterFollowsS,
)
from vapocline.core.profile.profile import MOST_PHASES, Along, ExitName

MOST_MODES = 5  # besides the first
Characters = Literal["any", "plain", "capitals"]


class PressureLoop(Document):
    """The machine tracks a pressure."""

    kind: Literal["pressure-loop"] = "pressure-loop"


class FlowLoop(Document):
    """The machine tracks a flow."""

    kind: Literal["flow-loop"] = "flow-loop"


class BothLoops(Document):
    """The machine tracks a pressure or a flow, as the phase says."""

    kind: Literal["both-loops"] = "both-loops"


class ValveAhead(Document):
    """A needle valve ahead of a pump at fixed pressure; free flow by turns from calibration."""

    kind: Literal["valve"] = "valve"
    pump_bar: PressureBar
    turns: tuple[ValveTurns, ...]
    free_flow_ml_s: tuple[FlowMlS, ...]

    @model_validator(mode="after")
    def _rising_table(self) -> Self:
        pairs = list(zip(self.turns, self.free_flow_ml_s, strict=False))
        rising = all(a[0] < b[0] and a[1] <= b[1] for a, b in pairwise(pairs))
        if len(self.turns) != len(self.free_flow_ml_s) or len(pairs) < 2 or not rising:
            raise PydanticCustomError(
                "valve",
                "valve table",
                {"accepted": "two or more positions, turns rising, free flow never falling"},
            )
        return self


class StagedProgram(Document):
    """A fixed list of stages, each one level held: of pressure, or of flow."""

    kind: Literal["staged"] = "staged"
    holds: Literal["pressure", "flow"] = "pressure"


class Spring(Document):
    """One spring of a lever: the pressure it adds when drawn, and at the end of its part, bar.

    It falls over its own part of the stroke, from `from_ml` to `to_ml` of water pressed out: by
    default over all of it. Before its part it presses with `top_bar`, after it with `end_bar`.
    """

    top_bar: PressureBar
    end_bar: PressureBar
    from_ml: SpringMl = 0
    to_ml: SpringMl | None = None

    @model_validator(mode="after")
    def _falls(self) -> Self:
        if self.to_ml is not None and self.to_ml <= self.from_ml:
            ctx = {"got": f"to_ml {self.to_ml:g}", "accepted": "a part that ends after it begins"}
            raise PydanticCustomError("spring", "spring", ctx)
        if self.end_bar > self.top_bar:
            raise PydanticCustomError(
                "spring", "spring", {"accepted": "an end_bar no higher than the top_bar"}
            )
        return self


class SpringLever(Document):
    """A lever drawn against one or two springs, which then press; drawn, it lets line water in."""

    kind: Literal["spring-lever"] = "spring-lever"
    springs: Annotated[tuple[Spring, ...], Field(min_length=1, max_length=2)]
    stroke_ml: StrokeMl = 60
    line_bar: PressureBar = 1.2


class Preamble(Document):
    """What a machine does before any program, which nobody can change: it wets the puck with
    `flow_ml_s` for `wet_s`, then lets it soak with no water for `soak_s`."""

    flow_ml_s: FlowMlS = 3
    wet_s: PreambleS = 2
    soak_s: PreambleS = 3

    @property
    def lasts_s(self) -> float:
        """From pump on until the program begins, s."""
        return self.wet_s + self.soak_s

    @property
    def words(self) -> str:
        """What it does, in a phrase."""
        soaks = f", then soaks {self.soak_s:g} s" if self.soak_s else ""
        return f"wets the puck at {self.flow_ml_s:g} mL/s for {self.wet_s:g} s{soaks}"


class HandLever(Document):
    """A lever pressed by hand: bar at the puck for each kg at the handle."""

    kind: Literal["hand-lever"] = "hand-lever"
    bar_per_kg: BarPerKg = 0.4
    stroke_ml: StrokeMl = 60


class SoftStart(Document):
    """A pump that is on or off and comes up slowly to the one pressure it has."""

    kind: Literal["soft-start"] = "soft-start"
    pump_bar: PressureBar = 9
    rise_s: RiseS = 4


Control = Annotated[
    PressureLoop
    | FlowLoop
    | BothLoops
    | ValveAhead
    | StagedProgram
    | SpringLever
    | HandLever
    | SoftStart,
    Field(discriminator="kind"),
]


class Steps(Document):
    """The smallest change a machine takes of each command. Units are in the names."""

    pressure_bar: StepBar = 0.1
    flow_ml_s: StepMlS = 0.1
    valve_turns: StepTurns = 0.05
    force_kg: StepKg = 0.5
    seconds: StepS = 0.1


class ProgramLimits(Document):
    """What a machine's program takes besides levels; None is no bound, 0 slots is no memory.

    `ramps`: the level may move within a stage. `pauses`: the pump may be off within a shot.
    `limits`: the other variable can be held under a limit. `exits` and `along`: what may end a
    stage, and what a move may go along. Names of at most `name_length` `characters` fit its slots.
    """

    stages: Annotated[int, Field(ge=1, le=MOST_PHASES)] | None = None
    ramps: bool = True
    pauses: bool = True
    limits: bool = True
    exits: tuple[ExitName, ...] | None = None
    along: tuple[Along, ...] = ("time", "water", "cup")
    slots: Annotated[int, Field(ge=0, le=99)] = 0
    name_length: Annotated[int, Field(ge=1, le=60)] | None = None
    characters: Characters = "any"

    @model_validator(mode="after")
    def _stages_can_end(self) -> Self:
        if self.exits is not None and not {"seconds", "water_ml"} & set(self.exits):
            raise PydanticCustomError(
                "exits",
                "exits",
                {"field": "exits", "accepted": "seconds or water_ml among what may end a stage"},
            )
        if not self.along:
            raise PydanticCustomError(
                "along",
                "along",
                {"field": "along", "accepted": "at least one of time, water and cup"},
            )
        return self


class Mode(Document):
    """Another way a machine is controlled, which is set on it before a shot."""

    name: Name
    control: Control = BothLoops()
    program: ProgramLimits = ProgramLimits()
    preamble: Preamble | None = None


class GroupLine(Document):
    """The group's temperature by the boiler's: offset and slope, as calibrated."""

    offset_c: float
    per_boiler: Annotated[float, Field(gt=0, le=3)]


def _unmeasured_air_removed(document: Plain) -> Plain:
    """Version 2 wrote 4 mL of trapped air where nobody had measured it: take today's default."""
    unmeasured = document.get("head_trapped_ml") == 4
    return {k: v for k, v in document.items() if not (unmeasured and k == "head_trapped_ml")}


class Machine(Versioned):
    """One machine: its control, limits, pump, and the head above the puck.

    Units are in the names. `head_free_ml` is the room above a bed of 18 g of medium coffee in a
    46 mL basket, `head_trapped_ml` the air that pressure then squeezes, `hose_ml_bar` what hoses
    and seals give. With a `boiler_ml` the water sags with the draw and `heater_w` heats it again;
    without one it is steady. `relief_bar` is the setting pressure cannot pass, `floor_bar` what a
    plumbed feed always gives. The pump delivers `top_flow_ml_s` freely, nothing at `pump_max_bar`.
    The machine's own dial reads the puck's pressure plus `dial_zero_bar` plus `dial_drop` times the
    flow squared. `after_drip_g` is what drips after a stop, where that was measured. From switched
    on it takes `warm_up_min` to be warm through, and `steam_min` more where steam is needed. Where
    a phase can have water of its own, `water_follows_s` is how long two thirds of a change take;
    None where it cannot. A machine with several modes has the first as its `control`, `program` and
    `preamble`, which `mode` names, and the others in `modes`; in a plan it has one, by name.
    """

    UPGRADES = (unknown_fields_in_place, _unmeasured_air_removed, *(nested_parts_changed,) * 2)

    format: Literal["vapocline/machine"] = "vapocline/machine"
    version: Literal[5] = 5
    name: Name
    note: Note = ""
    mode: Name | None = None
    control: Control = BothLoops()
    relief_bar: ReliefBar = 11
    floor_bar: FloorBar = 0
    top_flow_ml_s: TopFlowMlS = 9
    pump_max_bar: PumpMaxBar = 15
    when_off: Literal["hold", "dump"] = "dump"
    head_free_ml: HeadMl = 7
    head_trapped_ml: HeadMl = 3.1
    hose_ml_bar: HoseMlBar = 0.15
    boiler_ml: BoilerMl | None = None
    heater_w: HeaterW = 1200
    water_follows_s: WaterFollowsS | None = None
    preamble: Preamble | None = None
    pressure_lag_s: LagS = 0.4
    flow_lag_s: LagS = 0.12
    scale_lag_s: LagS = 0.2
    gauge_at: Literal["group", "pump", "none"] = "pump"
    warm_up_min: WarmUpMin = 20
    steam_min: WarmUpMin = 8
    dial_drop: DialDrop = 0
    dial_zero_bar: DialZeroBar = 0
    group: GroupLine | None = None
    after_drip_g: AfterDripG | None = None
    steps: Steps = Steps()
    program: ProgramLimits = ProgramLimits()
    modes: Annotated[tuple[Mode, ...], Field(max_length=MOST_MODES)] = ()

    @model_validator(mode="after")
    def _possible(self) -> Self:
        for field, got, accepted in (*_impossible(self), *_impossible_modes(self)):
            ctx = {"field": field, "accepted": accepted, "got": got}
            raise PydanticCustomError("impossible", "impossible", ctx)
        return self

    @property
    def mode_names(self) -> tuple[str, ...]:
        """Every mode by name, the first one first; none where there is only one."""
        return (self.mode or "", *(one.name for one in self.modes)) if self.modes else ()

    def in_mode(self, name: str | None) -> Self:
        """The machine as it is in one of its modes, without the others; in its first where there is
        none of that name."""
        found = next((one for one in self.modes if one.name == name), None)
        if found is None:
            return self.model_copy(update={"modes": ()})
        return self.model_copy(
            update={
                "mode": found.name,
                "control": found.control,
                "program": found.program,
                "preamble": found.preamble,
                "modes": (),
            }
        )


def _impossible(machine: Machine) -> Iterator[tuple[str, str, str]]:
    """What no machine can be: the field, what it got, what it takes."""
    control, relief = machine.control, machine.relief_bar
    if machine.floor_bar >= relief:
        got = f"{machine.floor_bar:g} bar, and a relief valve set to {relief:g}"
        yield "floor_bar", got, f"less than the relief setting of {relief:g} bar"
    if machine.pump_max_bar <= machine.floor_bar:
        got = f"{machine.pump_max_bar:g} bar"
        yield "pump_max_bar", got, f"more than the plumbed feed's {machine.floor_bar:g} bar"
    if isinstance(control, SoftStart) and control.pump_bar > relief:
        got = f"{control.pump_bar:g} bar"
        yield "control.pump_bar", got, f"at most the relief setting of {relief:g} bar"
    if isinstance(control, SpringLever) and min(s.top_bar for s in control.springs) > relief:
        got = f"{control.springs[0].top_bar:g} bar"
        yield "control.springs", got, f"a spring that presses at most {relief:g} bar, the relief"
    if isinstance(control, SpringLever) and control.line_bar > relief:
        yield "control.line_bar", f"{control.line_bar:g} bar", f"at most {relief:g} bar, the relief"
    if isinstance(control, SpringLever):
        for index, spring in enumerate(control.springs):
            late = spring.from_ml if spring.to_ml is None else spring.to_ml
            if late > control.stroke_ml or spring.from_ml >= control.stroke_ml:
                field = f"control.springs.{index}.{'from_ml' if spring.to_ml is None else 'to_ml'}"
                yield field, f"{late:g} mL", f"within the stroke of {control.stroke_ml:g} mL"
    if machine.preamble is not None and isinstance(control, SpringLever | HandLever):
        got = "built-in pre-wetting"
        yield "preamble", got, "none on a lever, which has no pump"
    if isinstance(control, ValveAhead) and max(control.free_flow_ml_s) <= 0:
        yield "control.free_flow_ml_s", "no flow anywhere", "a valve that lets water through"


def _impossible_modes(machine: Machine) -> Iterator[tuple[str, str, str]]:
    """What keeps the modes from being told apart, or one of them from being."""
    if machine.modes and machine.mode is None:
        yield "mode", "nothing", "what the first mode is called, where there are others"
    names = [name.casefold() for name in machine.mode_names]
    for index, mode in enumerate(machine.modes):
        if mode.name.casefold() in names[: index + 1]:
            yield f"modes.{index}.name", f"{mode.name} twice", "a name of its own"
        for field, got, accepted in _impossible(machine.in_mode(mode.name)):
            if field.startswith(("control", "preamble")):
                yield f"modes.{index}.{field}", got, accepted


REFERENCE = Machine(
    name="Reference", note="The built-in machine; the simulated one is of its kind."
)
