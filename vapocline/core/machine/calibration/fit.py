"""From what was measured to what is known: a curve, its error, and the numbers it gives."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import assert_never

import numpy as np

from vapocline.core.base.amounts import (
    amount,
    apart,
    grams,
    millilitres,
    temperature,
    temperature_apart,
    temperature_unit,
)
from vapocline.core.base.document import Answer
from vapocline.core.base.problems import Problem, Refused
from vapocline.core.coffee.grinder import grind_um_at, refuse_bad_points
from vapocline.core.machine.calibration.linear import Mean, mean, straight
from vapocline.core.machine.calibration.measured import (
    AfterDrip,
    Calibration,
    Crema,
    Dial,
    DryRun,
    Fill,
    Grind,
    GroupReading,
    GroupTemperature,
    Probe,
    ProbePlace,
    ScaleLag,
    Valve,
)
from vapocline.core.machine.calibration.monotone import DRAWN, monotone

WORTH_BAR, WORTH_C, WORTH_ML, WORTH_G, WORTH_S, WORTH_ML_G = 0.3, 1.0, 1.5, 0.4, 0.1, 0.05
TABLE = 13  # positions of a valve's table besides the measured ones
REFERENCE_UM = 300.0  # what relative fineness refers to
CalibrationCurve = Callable[[float], float]


class Point(Answer):
    """One measured row in the plot, and whether it was left out as a slip."""

    x: float
    y: float
    outlier: bool


class CalibrationFit(Answer):
    """A calibration worked out.

    `x_name` and `y_name` say with units what the plot shows; the curve is what is used from now on.
    `error` is in y's unit: for a curve how far a point lies from it, for a mean how well the mean
    is known. `gives` are the numbers it sets, by name with unit; `words` say it all.
    """

    x_name: str
    y_name: str
    unit: str
    points: list[Point]
    curve_x: list[float]
    curve_y: list[float]
    error: float
    gives: dict[str, list[float]]
    words: list[str]


def fitted(measured: Calibration) -> CalibrationFit:  # noqa: PLR0911 - one a kind
    """Work out a calibration. Raises Refused, naming rows, where too little or nothing sound."""
    match measured:
        case Valve():
            return _valve(measured)
        case Dial():
            return _dial(measured)
        case GroupTemperature():
            return _group(measured)
        case Fill():
            said = "The head takes {} before water comes out"
            return _mean(list(measured.rows), WORTH_ML, "head_free_ml", ("mL", 1), said)
        case AfterDrip():
            return _after_drip(measured)
        case ScaleLag():
            said = "The scale shows a weight {} late"
            return _mean(list(measured.rows), WORTH_S, "scale_lag_s", ("s", 2), said)
        case Crema():
            return _crema(measured)
        case Grind():
            return _grind(measured)
        case DryRun():
            return _dry_run(measured)
        case _:
            assert_never(measured)


def _valve(measured: Valve) -> CalibrationFit:
    """Free flow by position: grams over seconds, a gram of water taken as a millilitre."""
    for index, run in enumerate(measured.rows):
        if run.turns > 0 and run.water_g == 0:
            got = f"no water at {run.turns:g} turns"
            raise Refused([Problem(f"rows.{index}.water_g", got, "what it weighed, more than 0 g")])
    turns = [run.turns for run in measured.rows]
    flow = [run.water_g / run.seconds for run in measured.rows]
    fit = monotone(turns, flow, what="a free flow", unit="mL/s", per="turns")
    at = np.unique(np.concatenate([fit.x, np.linspace(fit.x[0], fit.x[-1], TABLE)]).round(3))
    table = [max(0.0, fit.at(float(t))) for t in at]
    top = fit.at(float(fit.x[-1]))
    words = [
        f"Free flow from {fit.at(float(fit.x[0])):.1f} to {top:.1f} mL/s, known to "
        f"{fit.error:.2f} mL/s between positions",
        *(f"{_at(flow)} mL/s at {fit.where(_at(flow)):.2f} turns" for flow in _halves(top)),
        *_slips(fit.outliers, [f"{flow[i]:.2f} mL/s at {turns[i]:g} turns" for i in fit.outliers]),
    ]
    return _drawn(
        ("position, turns", "free flow, mL/s", "mL/s"),
        (turns, flow, fit.outliers),
        (np.linspace(fit.x[0], fit.x[-1], DRAWN), fit.at),
        error=fit.error,
        gives={"turns": [float(t) for t in at], "free_flow_ml_s": [round(f, 3) for f in table]},
        words=words,
    )


def _halves(top: float) -> list[float]:
    """A few round flows to tell the inverse by."""
    return [flow for flow in (1.0, 2.0, 4.0) if flow < 0.95 * top]


def _at(flow: float) -> float:
    return round(flow, 1)


def _dial(measured: Dial) -> CalibrationFit:
    """dial = puck + zero + drop · flow²: what a nozzle between the two loses (Bernoulli)."""
    rows = measured.rows
    flows = {round(row.flow_ml_s, 2) for row in rows}
    if len(rows) < 3 or len(flows) < 2:
        got = f"{len(rows)} readings at {len(flows)} flows"
        raise Refused([Problem("rows", got, "at least 3 readings, at 2 flows or more")])
    off = [row.dial_bar - row.puck_bar for row in rows]
    fit = straight([[1.0] * len(rows), [row.flow_ml_s**2 for row in rows]], off, WORTH_BAR)
    zero, drop = fit.coefficients
    if drop < -0.005:
        got = f"a dial that reads {-drop:.3f} bar less per (mL/s)² as flow rises"
        raise Refused([Problem("rows", got, "a dial that reads more as flow rises: it sits ahead")])
    drop = max(0.0, drop)
    example = 2.0
    words = [
        f"At {example:g} mL/s the dial reads {zero + drop * example**2:.1f} bar more than the "
        f"puck has; at rest {zero:+.1f}",
        f"Puck pressure from the dial is known to {fit.error:.2f} bar",
        *_slips(fit.outliers, [f"dial {rows[i].dial_bar:g} bar" for i in fit.outliers]),
    ]
    return _drawn(
        ("flow, mL/s", "dial over puck, bar", "bar"),
        ([row.flow_ml_s for row in rows], off, fit.outliers),
        (np.linspace(0, max(row.flow_ml_s for row in rows), DRAWN), lambda q: zero + drop * q**2),
        error=fit.error,
        gives={"dial_drop": [round(drop, 4)], "dial_zero_bar": [round(zero, 2)]},
        words=words,
    )


def _group(measured: GroupTemperature) -> CalibrationFit:
    """group = a + b · boiler, between the two settings furthest from each other."""
    boiler = [row.boiler_c for row in measured.rows]
    group = [row.group_c for row in measured.rows]
    if len(boiler) < 3 or max(boiler) - min(boiler) < 2:
        span = max(boiler, default=0) - min(boiler, default=0)
        got = f"{len(boiler)} readings over {temperature_apart(span)}"
        raise Refused(
            [
                Problem(
                    "rows", got, f"at least 3 readings, {temperature_apart(2)} or more between them"
                )
            ]
        )
    sds = [_reading_sd_c(row) for row in measured.rows]
    fit = straight([[1.0] * len(boiler), boiler], group, WORTH_C, sds)
    a, b = fit.coefficients
    if b <= 0:
        unit = temperature_unit()
        got = f"a group that cools by {-b:.2f} {unit} for each {unit} at the boiler"
        raise Refused([Problem("rows", got, "a group that warms with its boiler")])
    words = [
        f"At {temperature(93)} at the group the boiler stands at {temperature((93 - a) / b, 1)}",
        f"The group is known to {temperature_apart(fit.error, 1)}",
        *_counting_less(measured.rows, sds),
        *_slips(fit.outliers, [f"boiler {temperature(boiler[i])}" for i in fit.outliers]),
    ]
    return _drawn(
        ("boiler, °C", "group, °C", "°C"),
        (boiler, group, fit.outliers),
        (np.linspace(min(boiler), max(boiler), 2), lambda t: a + b * t),
        error=fit.error,
        gives={"group_offset_c": [round(a, 3)], "group_per_boiler": [round(b, 4)]},
        words=words,
    )


# How far off the water's temperature a reading usually is, °C, one standard deviation; ours.
PROBE_SD_C: dict[Probe | None, float] = {
    "thermocouple": 0.7, "resistance": 0.3, "thermometer": 1.0, "infrared": 2.5, None: 1.0,
}  # fmt: skip
PLACE_SD_C: dict[ProbePlace | None, float] = {
    "in the stream": 0.3, "in the basket": 0.5, "in the cup": 2.0, "on the group": 2.5, None: 1.0,
}  # fmt: skip
COUNTS_LESS = 0.5  # of the best reading


def _reading_sd_c(row: GroupReading) -> float:
    return math.hypot(PROBE_SD_C[row.probe], PLACE_SD_C[row.place])


def _counting_less(rows: Sequence[GroupReading], sds: Sequence[float]) -> list[str]:
    """Which readings count for much less than the best, each way of reading once."""
    said = {}
    for row, sd in zip(rows, sds, strict=True):
        counts = (min(sds) / sd) ** 2
        if counts < COUNTS_LESS:
            how = (
                " ".join(word for word in (row.probe, row.place) if word) or "readings as they are"
            )
            said[how] = (
                f"{how[0].upper()}{how[1:]}: a reading counts {100 * counts:.0f} % of the best"
            )
    return list(said.values())


def _after_drip(measured: AfterDrip) -> CalibrationFit:
    for index, row in enumerate(measured.rows):
        if row.settled_g < row.at_stop_g:
            got = f"{row.settled_g:g}, less than {row.at_stop_g:g} at the stop"
            raise Refused(
                [Problem(f"rows.{index}.settled_g", got, "a cup that gains by its drips")]
            )
    drips = [row.settled_g - row.at_stop_g for row in measured.rows]
    said = "{} drip after the stop: stop that much before the weight you want"
    return _mean(drips, WORTH_G, "after_drip_g", ("g", 1), said)


def _crema(measured: Crema) -> CalibrationFit:
    for index, row in enumerate(measured.rows):
        if row.glass_ml < row.yield_g:
            got = f"{millilitres(row.glass_ml)} for {grams(row.yield_g)}"
            raise Refused(
                [Problem(f"rows.{index}.glass_ml", got, "no less than the drink's grams")]
            )
    foam = [row.glass_ml / row.yield_g - 1 for row in measured.rows]
    said = "This coffee carries {} of crema: a marked glass reads that much over"
    return _mean(foam, WORTH_ML_G, "crema_ml_per_g", ("mL/g", 2), said)


def _grind(measured: Grind) -> CalibrationFit:
    rows = sorted(measured.rows, key=lambda row: row.setting)
    settings, sizes = [row.setting for row in rows], [row.grind_um for row in rows]
    refuse_bad_points(settings, sizes)
    middle = grind_um_at(settings, sizes, (settings[0] + settings[-1]) / 2)
    inner = [
        abs(grind_um_at([*settings[:i], *settings[i + 1 :]], [*sizes[:i], *sizes[i + 1 :]], s) - d)
        for i, (s, d) in enumerate(zip(settings, sizes, strict=True))
        if 0 < i < len(rows) - 1
    ]
    error = float(np.sqrt(np.mean(np.square(inner)))) if inner else 0.0
    per = (sizes[-1] - sizes[0]) / (settings[-1] - settings[0])
    words = [
        f"{'Coarser' if per > 0 else 'Finer'} by {abs(per):.1f} µm a number, {middle:.0f} µm in "
        f"the middle; relative fineness {REFERENCE_UM / max(sizes):.2f} to "
        f"{REFERENCE_UM / min(sizes):.2f} of the reference"
    ]
    if inner:
        words.append(f"Sizes are known to {error:.0f} µm between the points")
    return _drawn(
        ("setting", "size, µm", "µm"),
        (settings, sizes, ()),
        (
            np.linspace(settings[0], settings[-1], DRAWN),
            lambda s: grind_um_at(settings, sizes, s),
        ),
        error=error,
        gives={"settings": settings, "grind_um": sizes},
        words=words,
    )


LATE_S = 0.5  # a stage further off than this does not come when it should


def _dry_run(measured: DryRun) -> CalibrationFit:
    """How far each stage came from its time; a steady lateness is the machine's, not the plan's."""
    rows = measured.rows
    if not rows:
        raise Refused([Problem("rows", "none", "at least one stage")])
    off = [row.began_s - row.planned_s for row in rows]
    error = float(np.sqrt(np.mean(np.square(off))))
    late = [
        f"{row.stage} {by:+.1f} s" for row, by in zip(rows, off, strict=True) if abs(by) > LATE_S
    ]
    words = [
        f"Stages come within {max(map(abs, off)):.1f} s of the plan"
        if not late
        else f"Not when they should: {', '.join(late)}"
    ]
    return _drawn(
        ("planned, s", "late by, s", "s"),
        ([row.planned_s for row in rows], off, ()),
        (np.array([0.0, max(1.0, *(row.planned_s for row in rows))]), lambda _t: 0.0),
        error=error,
        gives={},
        words=words,
    )


def _mean(
    values: list[float], worth: float, name: str, of: tuple[str, int], said: str
) -> CalibrationFit:
    """The mean of single measurements, told in `of`: a unit and decimals."""
    if len(values) < 2:
        raise Refused(
            [Problem("rows", str(len(values)), "at least 2, to tell how far they differ")]
        )
    found: Mean = mean(values, worth)
    unit, digits = of
    words = [
        said.format(amount(found.value, unit, digits)),
        f"Single ones differ by {apart(found.spread, unit, 2)}; the mean is known to "
        f"{apart(found.error, unit, 2)}",
        *_slips(found.outliers, [amount(values[i], unit, 2) for i in found.outliers]),
    ]
    count = list(range(1, len(values) + 1))
    return _drawn(
        ("which time", f"measured, {unit}", unit),
        ([float(i) for i in count], values, found.outliers),
        (np.array([1.0, float(len(values))]), lambda _x: found.value),
        error=found.error,
        gives={name: [round(found.value, 3)]},
        words=words,
    )


def _slips(rows: Sequence[int], names: list[str]) -> list[str]:
    if not rows:
        return []
    said = "Left out, as it fits with none of the others" if len(rows) == 1 else "Left out as slips"
    numbered = [f"row {row + 1} ({name})" for row, name in zip(rows, names, strict=True)]
    return [f"{said}: {', '.join(numbered)}"]


def _drawn(
    names: tuple[str, str, str],
    measured: tuple[Sequence[float], Sequence[float], Sequence[int]],
    curve: tuple[np.ndarray[tuple[int], np.dtype[np.float64]], CalibrationCurve],
    *,
    error: float,
    gives: dict[str, list[float]],
    words: list[str],
) -> CalibrationFit:
    x_name, y_name, unit = names
    xs, ys, out = measured
    points = [
        Point(x=round(x, 4), y=round(y, 4), outlier=i in out)
        for i, (x, y) in enumerate(zip(xs, ys, strict=True))
    ]
    at, value = curve
    return CalibrationFit(
        x_name=x_name,
        y_name=y_name,
        unit=unit,
        points=points,
        curve_x=[round(float(x), 4) for x in at],
        curve_y=[round(float(value(float(x))), 4) for x in at],
        error=round(error, 4),
        gives=gives,
        words=words,
    )
