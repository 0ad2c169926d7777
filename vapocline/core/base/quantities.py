"""Every quantity a user may enter, with its unit and the range it takes: the one place for both."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any

from pydantic import GetCoreSchemaHandler, GetJsonSchemaHandler, ValidationError
from pydantic_core import CoreSchema, PydanticCustomError, core_schema

from vapocline.core.base.amounts import amount, amount_number, read_unit


@dataclass(frozen=True)
class Range:
    """Lowest and highest value taken, ends included, in `unit`."""

    low: float
    high: float
    unit: str

    def __str__(self) -> str:
        low = amount_number(self.low, self.unit)
        return f"a number from {low} to {amount(self.high, self.unit)}"


RANGES: Mapping[str, Range] = {
    "dose_g": Range(5, 40, "g"),
    "yield_g": Range(5, 400, "g"),
    "grind_um": Range(120, 900, "µm"),
    "grind_setting": Range(0, 1000, ""),
    "grind_step": Range(0.01, 50, ""),
    "rest_days": Range(0, 365, "days"),
    "basket_diameter_mm": Range(40, 70, "mm"),
    "basket_volume_ml": Range(10, 120, "mL"),
    "fines_pct": Range(2, 45, "%"),
    "dose_spread": Range(0, 0.2, ""),
    "size_spread": Range(0, 0.5, ""),
    "water_c": Range(60, 100, "°C"),
    "puck_start_c": Range(5, 95, "°C"),
    "unevenness": Range(0, 0.6, ""),
    "pressure_bar": Range(0, 15, "bar"),
    "pump_bar": Range(1, 15, "bar"),
    "flow_ml_s": Range(0, 20, "mL/s"),
    "valve_turns": Range(0, 20, "turns"),
    "force_kg": Range(0, 60, "kg"),
    "bar_per_kg": Range(0.05, 2, "bar/kg"),
    "stroke_ml": Range(20, 120, "mL"),
    "spring_ml": Range(0, 120, "mL"),
    "preamble_s": Range(0, 30, "s"),
    "rise_s": Range(0.5, 20, "s"),
    "dial_drop": Range(0, 0.2, "bar per (mL/s)²"),
    "over": Range(0, 300, "s, mL or g"),
    "seconds": Range(0.1, 300, "s"),
    "water_ml": Range(1, 1000, "mL"),
    "cup_g": Range(1, 500, "g"),
    "relief_bar": Range(1, 15, "bar"),
    "floor_bar": Range(0, 6, "bar"),
    "top_flow_ml_s": Range(0.5, 20, "mL/s"),
    "pump_max_bar": Range(2, 20, "bar"),
    "head_ml": Range(0, 60, "mL"),
    "hose_ml_bar": Range(0, 2, "mL/bar"),
    "boiler_ml": Range(50, 5000, "mL"),
    "heater_w": Range(100, 6000, "W"),
    "lag_s": Range(0, 5, "s"),
    "water_follows_s": Range(0.5, 60, "s"),
    "tds_pct": Range(0.1, 30, "%"),
    "milk_g": Range(1, 500, "g"),
    "crema_mm": Range(0, 30, "mm"),
    "crema_s": Range(0, 900, "s"),
    "ratio": Range(0.5, 20, ": 1"),
    "dose_tolerance_g": Range(0, 2, "g"),
    "step_bar": Range(0.01, 5, "bar"),
    "step_ml_s": Range(0.01, 5, "mL/s"),
    "step_s": Range(0.01, 10, "s"),
    "step_turns": Range(0.001, 2, "turns"),
    "step_kg": Range(0.01, 10, "kg"),
    "dial_zero_bar": Range(-3, 3, "bar"),
    "after_drip_g": Range(0, 10, "g"),
    "boiler_c": Range(50, 160, "°C"),
    "group_c": Range(40, 110, "°C"),
    "glass_ml": Range(1, 1000, "mL"),
    "crema_ml_per_g": Range(0, 4, "mL/g"),
    "density_g_ml": Range(0.2, 0.7, "g/mL"),
    "bag_g": Range(10, 50_000, "g"),
    "hardness_mg_l": Range(0, 1500, "mg/L"),
    "alkalinity_mg_l": Range(0, 1000, "mg/L"),
    "salt_mg_l": Range(0, 3000, "mg/L"),
    "bag_price": Range(0.01, 1_000_000, ""),
    "altitude_m": Range(0, 4000, "m"),
    "cup_score": Range(0, 100, "points"),
    "warm_up_min": Range(0, 120, "min"),
    "leveller_mm": Range(1, 40, "mm"),
    "tamp_kg": Range(1, 60, "kg"),
    "retention_g": Range(0, 20, "g"),
}


@dataclass(frozen=True)
class Within:
    """Pydantic annotation: a finite number within the named range, refused in our words."""

    name: str

    def __get_pydantic_core_schema__(
        self, source: Any, handler: GetCoreSchemaHandler
    ) -> CoreSchema:
        return core_schema.no_info_wrap_validator_function(self._check, handler(source))

    def __get_pydantic_json_schema__(
        self, schema: CoreSchema, handler: GetJsonSchemaHandler
    ) -> dict[str, Any]:
        bounds = RANGES[self.name]
        return handler(schema) | {
            "minimum": bounds.low,
            "maximum": bounds.high,
            "x-unit": bounds.unit,
        }

    def _check(self, value: Any, parse: core_schema.ValidatorFunctionWrapHandler) -> float:
        bounds = RANGES[self.name]
        if isinstance(value, bool):
            raise _refusal(bounds)
        try:
            number = float(parse(value))
        except ValidationError:
            raise _refusal(bounds) from None
        if not (math.isfinite(number) and bounds.low <= number <= bounds.high):
            raise _refusal(bounds, number)
        return number


def _refusal(bounds: Range, got: float | None = None) -> PydanticCustomError:
    """What is taken, and what was got where the reader typed it in another unit than we get."""
    context = {"accepted": str(bounds)}
    if got is not None and math.isfinite(got) and read_unit(bounds.unit) != bounds.unit:
        context["got"] = f"{float(amount_number(got, bounds.unit, 1)):g}"
    return PydanticCustomError("range", "takes {accepted}", context)


DoseG = Annotated[float, Within("dose_g")]
YieldG = Annotated[float, Within("yield_g")]
GrindUm = Annotated[float, Within("grind_um")]
GrindSetting = Annotated[float, Within("grind_setting")]
RestDays = Annotated[float, Within("rest_days")]
BasketDiameterMm = Annotated[float, Within("basket_diameter_mm")]
BasketVolumeMl = Annotated[float, Within("basket_volume_ml")]
DoseSpread = Annotated[float, Within("dose_spread")]
SizeSpread = Annotated[float, Within("size_spread")]
FinesPct = Annotated[float, Within("fines_pct")]
WaterC = Annotated[float, Within("water_c")]
PuckStartC = Annotated[float, Within("puck_start_c")]
Unevenness = Annotated[float, Within("unevenness")]
PressureBar = Annotated[float, Within("pressure_bar")]
PumpBar = Annotated[float, Within("pump_bar")]
FlowMlS = Annotated[float, Within("flow_ml_s")]
ValveTurns = Annotated[float, Within("valve_turns")]
ForceKg = Annotated[float, Within("force_kg")]
BarPerKg = Annotated[float, Within("bar_per_kg")]
StrokeMl = Annotated[float, Within("stroke_ml")]
SpringMl = Annotated[float, Within("spring_ml")]
PreambleS = Annotated[float, Within("preamble_s")]
RiseS = Annotated[float, Within("rise_s")]
DialDrop = Annotated[float, Within("dial_drop")]
Over = Annotated[float, Within("over")]
Seconds = Annotated[float, Within("seconds")]
WaterMl = Annotated[float, Within("water_ml")]
CupG = Annotated[float, Within("cup_g")]
ReliefBar = Annotated[float, Within("relief_bar")]
FloorBar = Annotated[float, Within("floor_bar")]
TopFlowMlS = Annotated[float, Within("top_flow_ml_s")]
PumpMaxBar = Annotated[float, Within("pump_max_bar")]
HeadMl = Annotated[float, Within("head_ml")]
HoseMlBar = Annotated[float, Within("hose_ml_bar")]
BoilerMl = Annotated[float, Within("boiler_ml")]
HeaterW = Annotated[float, Within("heater_w")]
LagS = Annotated[float, Within("lag_s")]
WaterFollowsS = Annotated[float, Within("water_follows_s")]
TdsPct = Annotated[float, Within("tds_pct")]
MilkG = Annotated[float, Within("milk_g")]
CremaMm = Annotated[float, Within("crema_mm")]
CremaS = Annotated[float, Within("crema_s")]
Ratio = Annotated[float, Within("ratio")]
DoseToleranceG = Annotated[float, Within("dose_tolerance_g")]
StepBar = Annotated[float, Within("step_bar")]
StepMlS = Annotated[float, Within("step_ml_s")]
StepS = Annotated[float, Within("step_s")]
StepTurns = Annotated[float, Within("step_turns")]
StepKg = Annotated[float, Within("step_kg")]
DialZeroBar = Annotated[float, Within("dial_zero_bar")]
AfterDripG = Annotated[float, Within("after_drip_g")]
BoilerC = Annotated[float, Within("boiler_c")]
GroupC = Annotated[float, Within("group_c")]
GlassMl = Annotated[float, Within("glass_ml")]
CremaMlPerG = Annotated[float, Within("crema_ml_per_g")]
DensityGMl = Annotated[float, Within("density_g_ml")]
BagG = Annotated[float, Within("bag_g")]
HardnessMgL = Annotated[float, Within("hardness_mg_l")]  # as CaCO3
AlkalinityMgL = Annotated[float, Within("alkalinity_mg_l")]  # as CaCO3
SaltMgL = Annotated[float, Within("salt_mg_l")]
AltitudeM = Annotated[float, Within("altitude_m")]
CupScore = Annotated[float, Within("cup_score")]
BagPrice = Annotated[float, Within("bag_price")]  # in the house's money
WarmUpMin = Annotated[float, Within("warm_up_min")]
LevellerMm = Annotated[float, Within("leveller_mm")]
TampKg = Annotated[float, Within("tamp_kg")]
GrindStep = Annotated[float, Within("grind_step")]
RetentionG = Annotated[float, Within("retention_g")]
