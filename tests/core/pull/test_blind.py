"""Any shot, on machines that lack any gauge, for a while or for good: read without making things
up. Profiles are drawn with every exit, hands do anything, gauges are missing by chance."""

from __future__ import annotations

import math
import unittest
from dataclasses import asdict, replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.pull.test_corrections import Doing, pulled, recorded
from tests.core.pull.test_pull import samples_of
from tests.core.strategies import STOPS, phases
from tests.factories import STRONG
from tests.marks import examples, more_cases
from vapocline.core.base.problems import OrderError, Refused
from vapocline.core.profile.check import profile_problems
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.check import refuse_unrunnable
from vapocline.core.puck.plan import Plan, Setup
from vapocline.core.puck.predict import predict
from vapocline.core.pull.alarms import AlarmMonitor
from vapocline.core.pull.corrections import corrected
from vapocline.core.pull.recovery import find_recovery
from vapocline.core.read.following import followed
from vapocline.core.shot.result import result_of
from vapocline.core.shot.traces import Sample, Traces
from vapocline.core.tidy.tidy import TidyAsk, tidy

GAUGES = ("pressure_bar", "water_in_ml_s", "cup_g", "group_c")


def _nudge(by: float) -> object:
    return lambda simulation: simulation.nudge(by)


@st.composite
def plans(draw: st.DrawFn) -> Plan:
    parts = draw(st.lists(phases(), min_size=1, max_size=3))
    if draw(st.booleans()):
        parts[0]["exits"].insert(0, {"when": "hand"})  # type: ignore[attr-defined]
    document = {"name": "Any", "phases": parts, "stop": draw(STOPS)}
    setup = Setup(dose_g=18, machine=STRONG)
    return Plan(members=1, setup=setup, profile=Profile.model_validate(document))


@st.composite
def missing(draw: st.DrawFn) -> dict[str, tuple[float, float]]:
    """Gauges with the share of the shot, from and to, in which they say nothing."""
    names = draw(st.sets(st.sampled_from(GAUGES)))
    shares = st.tuples(st.sampled_from([0.0, 0.3]), st.sampled_from([0.6, 1.0]))
    return {name: draw(shares) for name in names}


def blind(traces: Traces, gone: dict[str, tuple[float, float]]) -> Traces:
    size = traces.time_s.size
    for name, (start, end) in gone.items():
        column = np.array(getattr(traces, name))
        column[int(start * size) : math.ceil(end * size)] = np.nan
        traces = replace(traces, **{name: column})
    return traces


def blinded(samples: list[Sample], gone: dict[str, tuple[float, float]]) -> list[Sample]:
    for name, (start, end) in gone.items():
        within = range(int(start * len(samples)), math.ceil(end * len(samples)))
        for i in within:
            samples[i] = replace(samples[i], **{name: math.nan})
    return samples


class AnyShot(unittest.TestCase):
    @more_cases
    @settings(max_examples=examples(40), deadline=None, derandomize=True)
    @given(
        plans(),
        missing(),
        st.sampled_from([[], [(4.0, "nudge", _nudge(0.5), 0.5)]]),
        st.sampled_from([None, 20.0]),
    )
    def test_it_is_read_and_nothing_is_made_up(
        self,
        one: Plan,
        gone: dict[str, tuple[float, float]],
        doing: Doing,
        stopped_g: float | None,
    ) -> None:
        try:
            refuse_unrunnable(one)
        except Refused:
            return
        try:
            simulation, events = pulled(one, doing)
        except OrderError:  # nothing to nudge then: the pump is off, or it is over
            simulation, events = pulled(one, [])
        spans, whole = recorded(simulation)
        traces = blind(whole, gone)
        stop_s = spans[-1].end_s if spans else None
        for name, value in asdict(result_of(traces, stop_s=stop_s, dose_g=18)).items():
            self.assertTrue(value is None or math.isfinite(value), name)
        self.runs(lambda: corrected(
            one.profile, STRONG, spans, events, traces, stopped_by_hand_g=stopped_g
        ))  # fmt: skip
        self.runs(lambda: tidy(traces, STRONG, TidyAsk(), name="Tidied", stop_s=stop_s).profile)
        close = followed(one.profile, traces, stop_s)
        self.assertNotIn("nan", "" if close is None else close.words)
        forecast = predict(one)
        samples = blinded(samples_of(simulation), gone)
        watch = AlarmMonitor(forecast, scaled=True)
        said = [alarm for sample in samples for alarm in watch.look(sample)]
        if "water_in_ml_s" in gone and gone["water_in_ml_s"] == (0.0, 1.0):
            self.assertNotIn("no_flow", said)
        if len(samples) > 20:
            found = find_recovery(one, forecast, events, samples)
            self.assertNotIn("nan", "" if found is None else found.words)

    def runs(self, make: object) -> None:
        """What was made of the shot is a profile that can be run, or it is refused in words."""
        try:
            made = make()  # type: ignore[operator]
        except Refused as refused:
            self.assertNotIn("nan", str(refused))
            return
        self.assertEqual(profile_problems(made), [])
        self.assertNotIn("nan", made.model_dump_json().lower().replace("name", ""))
