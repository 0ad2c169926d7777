"""Traces of a shot: channels on one clock."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields

import numpy as np

from vapocline.core.base.arrays import Floats

FLOW_WINDOW_S = 0.8  # cup flow is the slope of the weight over this long


@dataclass(frozen=True)
class Sample:
    """What a machine and its scale said at one moment.

    `commanded` is None with the pump off, `by_hand` the level a hand holds, if one does. What no
    device tells is nan: `cup_g` while no scale weighs, the rest on a machine not connected.
    """

    time_s: float
    pressure_bar: float
    water_in_ml_s: float
    cup_g: float
    group_c: float
    commanded: float | None
    control: str
    phase: int
    by_hand: float | None = None


@dataclass(frozen=True)
class Traces:
    """Channels of one shot, float64, all of one length; nan where nothing was commanded, measured
    or held by hand."""

    time_s: Floats
    pressure_bar: Floats
    water_in_ml_s: Floats
    cup_out_ml_s: Floats
    cup_g: Floats
    group_c: Floats
    commanded: Floats
    phase: Floats
    by_hand: Floats


CHANNELS = tuple(field.name for field in fields(Traces))


def traces_of(samples: Sequence[Sample]) -> Traces:
    """Samples as channels, with the cup's flow worked out from its weight."""
    time_s = np.array([sample.time_s for sample in samples])
    cup_g = np.array([sample.cup_g for sample in samples])
    return Traces(
        time_s=time_s,
        pressure_bar=np.array([sample.pressure_bar for sample in samples]),
        water_in_ml_s=np.array([sample.water_in_ml_s for sample in samples]),
        cup_out_ml_s=cup_flow_ml_s(time_s, cup_g),
        cup_g=cup_g,
        group_c=np.array([sample.group_c for sample in samples]),
        commanded=np.array(
            [np.nan if sample.commanded is None else sample.commanded for sample in samples]
        ),
        phase=np.array([sample.phase for sample in samples], dtype=np.float64),
        by_hand=np.array(
            [np.nan if sample.by_hand is None else sample.by_hand for sample in samples]
        ),
    )


def cup_flow_ml_s(time_s: Floats, cup_g: Floats) -> Floats:
    """Flow into the cup, mL/s, a gram counted as a millilitre: a least-squares slope of the weight.

    The window ends at each sample, so that the live curve and the stored one are the same.
    """
    flow = np.where(np.isnan(cup_g), np.nan, 0.0)
    first = np.searchsorted(time_s, time_s - FLOW_WINDOW_S)
    for i, start in enumerate(first):
        if time_s[i] - time_s[start] >= FLOW_WINDOW_S / 2:  # fewer would be the scale's noise
            x = time_s[start : i + 1] - time_s[start : i + 1].mean()
            slope = float(x @ cup_g[start : i + 1]) / float(x @ x)
            flow[i] = max(0.0, slope) if not np.isnan(slope) else np.nan
    return flow
