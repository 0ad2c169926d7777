"""What is going wrong in a running shot, noticed from what its devices say."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from vapocline.core.puck.answer import Prediction
from vapocline.core.shot.events import Alarm
from vapocline.core.shot.traces import Sample

# How long a thing must last before it is said: a gauge may blink.
NO_FLOW_S, SILENT_S, OFF_BAND_S = 2.5, 1.0, 0.8
DRY_ML_S, ASKED_ML_S, ASKED_BAR = 0.15, 0.4, 1.0
MISSED_SHARE = 0.5  # of what is commanded: a pump that gives less gives nothing
LIFTED_G = 5.0
PRESSURE_SLACK_BAR, FLOW_SLACK_ML_S = 0.5, 0.4
# Pressure this close to the relief valve, or this high on any machine, raises an alarm in time.
NEAR_RELIEF_BAR, HIGHEST_BAR, OVER_S = 0.5, 11.0, 0.3
MEANT_BAR = 0.3  # below it a command asks for that much itself
SETTLES_S = 4.0  # from pump on: until then filling hides everything


@dataclass
class AlarmMonitor:
    """Follows a shot sample by sample and says each trouble once, when it begins."""

    forecast: Prediction
    scaled: bool  # whether the cup should be weighed
    relief_bar: float = HIGHEST_BAR + NEAR_RELIEF_BAR
    _since: dict[Alarm, float] = field(default_factory=dict)
    _said: set[Alarm] = field(default_factory=set)
    _heaviest: float = 0.0

    def look(self, sample: Sample) -> list[Alarm]:
        """The troubles that this sample makes certain."""
        found: list[Alarm] = []
        dry = self._dry(sample)
        for alarm, wrong, lasts in (
            ("no_flow", dry, NO_FLOW_S),
            ("scale_silent", self.scaled and np.isnan(sample.cup_g), SILENT_S),
            ("cup_lifted", sample.cup_g < self._heaviest - LIFTED_G, 0.0),
            ("over_pressure", self._over(sample), OVER_S),
            ("off_band", not dry and self._off_band(sample), OFF_BAND_S),
        ):
            name: Alarm = alarm  # type: ignore[assignment]
            if not wrong:
                self._since.pop(name, None)
                if name in ("off_band", "over_pressure"):
                    self._said.discard(name)  # back inside: it may leave again
                continue
            since = self._since.setdefault(name, sample.time_s)
            if sample.time_s - since >= lasts and name not in self._said:
                self._said.add(name)
                found.append(name)
        if not np.isnan(sample.cup_g):
            self._heaviest = max(self._heaviest, sample.cup_g)
        return found

    def _over(self, sample: Sample) -> bool:
        """Near the relief valve, or very high, without being commanded to."""
        limit = min(self.relief_bar - NEAR_RELIEF_BAR, HIGHEST_BAR)
        if not sample.pressure_bar >= limit:  # also what nobody measured
            return False
        asked = sample.commanded if sample.control == "pressure" else None
        return asked is None or asked < limit - MEANT_BAR

    def _dry(self, sample: Sample) -> bool:
        """Nothing is pumped although it is asked for and pressure does not stand in its way."""
        if sample.commanded is None or np.isnan(sample.water_in_ml_s):
            return False  # without a flow meter nobody can tell
        if sample.water_in_ml_s > DRY_ML_S:
            return False
        if sample.control == "flow":
            return sample.commanded > ASKED_ML_S and sample.pressure_bar < ASKED_BAR
        if sample.control == "valve":
            return sample.commanded > 0.3 and sample.pressure_bar < ASKED_BAR
        return (
            sample.commanded > ASKED_BAR and sample.pressure_bar < MISSED_SHARE * sample.commanded
        )

    def _off_band(self, sample: Sample) -> bool:
        """Outside what eight in ten of the ensemble did at this moment, and by more than noise."""
        if sample.time_s < SETTLES_S or sample.commanded is None:
            return False
        series = self.forecast.series
        at = int(np.searchsorted(series.time_s, sample.time_s))
        if at >= len(series.time_s) or sample.time_s > (self.forecast.shot_time_s.value or 0.0):
            return False
        if sample.control == "pressure":
            name, value, slack = "water_in_ml_s", sample.water_in_ml_s, FLOW_SLACK_ML_S
        else:
            name, value, slack = "pressure_bar", sample.pressure_bar, PRESSURE_SLACK_BAR
        low, high = getattr(series, f"{name}_p10")[at], getattr(series, f"{name}_p90")[at]
        if low is None or high is None:
            return False
        return bool(value < low - slack or value > high + slack)


ALARM_WORDS: dict[Alarm, str] = {
    "no_flow": "No water is moving: the tank may be empty or the pump stalled. Stop, and look.",
    "scale_silent": "The scale is not responding: the shot cannot stop by weight. Stop it by hand.",
    "cup_lifted": "The scale reads less than before: the cup was moved. Stop it by hand.",
    "over_pressure": "Pressure is close to what the relief valve lets pass. Halve the flow.",
    "off_band": "The shot has left what was predicted.",
}
