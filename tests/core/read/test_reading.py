"""What reading finds in recordings with the truth known, and what it keeps silent about."""

from __future__ import annotations

import unittest
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.read.recordings import (
    GOOD,
    KEYS,
    POOR,
    SOUND,
    Fault,
    Gauges,
    Recording,
    recording,
    styled,
    without,
)
from tests.marks import examples, exhaustive, more_cases, some_of
from vapocline.core.base.arrays import Floats
from vapocline.core.read.findings import FINDING_KINDS, MEASURED, Finding, FindingKind
from vapocline.core.read.pulled import PlannedShot, Seen, forecast_of
from vapocline.core.read.reading import Circumstances, Earlier, Reading, earlier_of, read_curve
from vapocline.core.shot.traces import CHANNELS, Traces

PRESSING = ("steady-nine", "soak-then-press", "spring-decline", "hard-start-falling")
NEEDED: dict[FindingKind, tuple[str, ...]] = {
    "meter": ("water_in_ml_s", "cup_g"),
    "opened": ("pressure_bar", "cup_g"),
    "run_away": ("pressure_bar", "cup_g"),
    "early_resistance": ("pressure_bar", "cup_g"),
    "loosened": ("pressure_bar", "cup_g"),
    "water_count": ("water_in_ml_s", "cup_g"),
    "late_meeting": ("water_in_ml_s", "cup_g"),
    "choked": ("pressure_bar", "cup_g"),
    "over_soaked": ("cup_g",),
    "first_drip": ("cup_g",),
    "level": ("cup_g",),
    "stop": ("cup_g",),
    "by_hand": ("pressure_bar",),
    "temperature": ("group_c",),
}


def circumstances(one: Recording) -> Circumstances:
    return Circumstances(stop_s=one.stop_s)


def read(one: Recording, earlier: Sequence[Recording] = ()) -> Reading:
    return read_curve(one.traces, one.plan, circumstances(one), lent(earlier))


def lent(pulls: Sequence[Recording]) -> list[Earlier]:
    found = [earlier_of(one.traces, one.plan, circumstances(one)) for one in pulls]
    return [one for one in found if one is not None]


def told(reading: Reading) -> list[Finding]:
    """What says that something went otherwise."""
    return [one for one in reading.findings if one.kind not in MEASURED]


def with_cup(one: Recording, cup_g: Floats) -> Recording:
    return one._replace(traces=replace(one.traces, cup_g=cup_g))


def only(reading: Reading, kind: FindingKind) -> Any:
    found = [one for one in reading.findings if one.kind == kind]
    assert found, f"no {kind} in {[one.kind for one in reading.findings]}"
    return found[0]


class GoodShots(unittest.TestCase):
    @more_cases
    def test_of_every_style_at_most_one_in_twelve_brings_a_note(self) -> None:
        for key in some_of(KEYS, 1):
            with self.subTest(key):
                noted = [told(read(recording(styled(key), seed))) for seed in range(12)]
                self.assertLessEqual(sum(bool(one) for one in noted), 1, noted)

    @more_cases
    def test_a_puck_anywhere_the_forecasts_priors_leave_open_is_nothing_odd(self) -> None:
        noted = []
        for key in some_of(KEYS, 3):
            plan = styled(key)
            noted += [
                told(read(recording(plan, seed, as_priors_say=True))) for seed in range(900, 920)
            ]
        self.assertLessEqual(sum(map(bool, noted)), 0.08 * len(noted), noted)

    def test_limits_follow_what_is_known_of_the_coffee(self) -> None:
        plan = styled("steady-nine")
        one = recording(plan, 5, Fault(truth={"permeability": 1.6}))
        new = plan.model_copy(update={"setup": plan.setup.model_copy(update={"dialled_in": False})})
        self.assertIn("ran_like", {found.kind for found in told(read(one))})
        self.assertNotIn("ran_like", {found.kind for found in told(read(one._replace(plan=new)))})

    @exhaustive
    def test_a_strange_coffee_beside_its_earlier_pull_brings_none_either(self) -> None:
        noted = 0
        for number, key in enumerate(KEYS):
            before = recording(styled(key), 700 + number, pair=number)
            one = recording(styled(key), 800 + number, pair=number)
            noted += bool([f for f in told(read(one, [before])) if f.weight == "finding"])
        self.assertLessEqual(noted, 1)

    def test_without_a_plan_a_good_shot_brings_no_note_either(self) -> None:
        noted: dict[str, list[str]] = {}
        for number, key in enumerate(KEYS):
            one = recording(styled(key), 500 + number, as_priors_say=True)
            found = told(read_curve(one.traces, None, circumstances(one)))
            noted |= {key: [f.words for f in found]} if found else {}
        self.assertLessEqual(len(noted), 1, noted)

    @exhaustive
    def test_poor_gauges_invent_nothing(self) -> None:
        noted = [
            bool(told(read(recording(styled(key), seed, gauges=POOR))))
            for key in PRESSING
            for seed in range(6)
        ]
        self.assertLessEqual(sum(noted), 2)


class Planted(unittest.TestCase):
    def found(
        self, kind: FindingKind, keys: Sequence[str], fault: Any, gauges: Gauges = GOOD
    ) -> list[tuple[PlannedShot, Any]]:
        """The finding in each style's shot, with what was forecast."""
        every = []
        for number, key in enumerate(keys):
            with self.subTest(kind=kind, style=key):
                plan = styled(key)
                forecast = forecast_of(plan)
                before = recording(plan, 300 + number)
                one = recording(plan, 200 + number, fault(forecast), gauges)
                every.append((forecast, only(read(one, [before]), kind)))
        return every

    def test_an_opening_is_found_at_its_second_with_its_size(self) -> None:
        def opens(of: PlannedShot) -> Fault:
            return Fault(at_s=(of.first_drip_s + of.stop_s) / 2, opens=0.3)

        for forecast, found in self.found("opened", KEYS, opens):
            self.assertAlmostEqual(
                found.at_s, (forecast.first_drip_s + forecast.stop_s) / 2 + 0.2, delta=1.0
            )
            self.assertAlmostEqual(found.flow_pct, 35, delta=9)
            self.assertEqual(found.weight, "finding")

    def test_wear_that_goes_on_to_the_stop_ran_away(self) -> None:
        def wears(of: PlannedShot) -> Fault:
            at = of.first_drip_s + 2
            return Fault(at_s=at, wears=0.5, over_s=of.stop_s - at)

        for _forecast, found in self.found("run_away", PRESSING[:1] + PRESSING[2:], wears):
            self.assertGreater(found.flow_pct, 20)

    def test_resistance_that_is_gone_by_the_middle_of_the_cup_was_early(self) -> None:
        def resists(of: PlannedShot) -> Fault:
            return Fault(at_s=of.first_drip_s + 0.85 * (of.stop_s - of.first_drip_s), resists=0.45)

        self.found("early_resistance", ("bloom", "spring-decline", "level-flow"), resists)

    def test_a_coarser_puck_is_told_in_micrometres(self) -> None:
        for _forecast, found in self.found(
            "ran_like", KEYS, lambda _of: Fault(truth={"permeability": 2.2})
        ):
            self.assertGreater(found.grind_um, 30)
            self.assertEqual(found.change.number, "grind_um")
            self.assertLess(found.shot_time_s, 0)

    def test_a_weak_pump_does_not_reach_what_is_asked(self) -> None:
        for _forecast, found in self.found(
            "not_reached", PRESSING, lambda _of: Fault(truth={"pump_max_bar": 0.55})
        ):
            self.assertLess(found.reached, found.asked)
            self.assertEqual(found.change.number, "command.to")

    def test_a_low_relief_valve_is_one_finding_and_not_four(self) -> None:
        for key in ("steady-nine", "hard-start-falling"):
            for share in (0.5, 0.65):
                with self.subTest(key, share=share):
                    plan = styled(key)
                    one = recording(plan, 7, Fault(truth={"relief_bar": share}))
                    reading = read(one, [recording(plan, 8)])
                    found = only(reading, "not_reached")
                    self.assertEqual([said.kind for said in told(reading)], ["not_reached"])
                    self.assertEqual(found.limit, "relief valve")
                    self.assertAlmostEqual(found.reached, 10 * share, delta=0.2)
                    water = next(one for one in reading.cannot_tell if one.kind == "water_count")
                    self.assertIn("relief valve", water.because)

    def test_a_weak_pump_is_not_taken_for_a_valve(self) -> None:
        plan = styled("steady-nine")
        found = only(read(recording(plan, 7, Fault(truth={"pump_max_bar": 0.6}))), "not_reached")
        self.assertNotEqual(found.limit, "relief valve")

    def test_an_overshoot_is_found_where_it_was_with_its_height(self) -> None:
        def lifts(of: PlannedShot) -> Fault:
            return Fault(at_s=(of.press_s or 0) + 5, lifts=1.2)

        for forecast, found in self.found("overshoot", PRESSING, lifts):
            self.assertAlmostEqual(found.from_s, (forecast.press_s or 0) + 5.3, delta=1.0)
            self.assertAlmostEqual(found.peak - found.asked, 0.9, delta=0.45)

    def test_a_larger_head_shows_in_the_water_that_stays_behind(self) -> None:
        for _forecast, found in self.found(
            "water_count", PRESSING, lambda _of: Fault(truth={"head_free_ml": 1.75})
        ):
            self.assertAlmostEqual(found.retained_ml - found.usual_ml, 5.2, delta=1.5)

    def test_a_head_that_was_as_large_before_is_nothing_odd(self) -> None:
        plan, larger = styled("steady-nine"), Fault(truth={"head_free_ml": 1.75})
        again = read(recording(plan, 31, larger), [recording(plan, 32, larger)])
        self.assertEqual(told(again), [])

    def test_an_uneven_puck_meets_late(self) -> None:
        self.found("late_meeting", PRESSING, lambda _of: Fault(unevenness=0.8))

    def test_a_puck_that_lets_nothing_through_choked(self) -> None:
        for _forecast, found in self.found(
            "choked", (*PRESSING, "bloom"), lambda _of: Fault(truth={"permeability": 0.09})
        ):
            self.assertLess(found.flow_g_s, 0.3)

    def test_a_soak_that_drips_on_is_found_with_its_grams(self) -> None:
        for _forecast, found in self.found(
            "over_soaked", ("soak-then-press", "slow-saturate"), lambda _of: Fault(longer_s=12)
        ):
            self.assertGreater(found.cup_g, found.usual_g + 3)
            self.assertEqual(found.change.number, "exit")

    def test_a_meter_that_reads_too_little_is_told_before_what_leans_on_it(self) -> None:
        for _forecast, found in self.found("meter", KEYS, lambda _of: Fault(meter=0.92)):
            self.assertAlmostEqual(found.off_pct, 8.7, delta=2.5)

    def test_poor_gauges_still_find_a_puck_that_opened_wide(self) -> None:
        def opens(of: PlannedShot) -> Fault:
            return Fault(at_s=(of.first_drip_s + of.stop_s) / 2, opens=0.6)

        for number, key in enumerate(PRESSING):
            plan = styled(key)
            one = recording(plan, 40 + number, opens(forecast_of(plan)), POOR)
            before = recording(plan, 60 + number, SOUND, POOR)
            kinds = {found.kind for found in told(read(one, [before]))}
            self.assertTrue(kinds & {"opened", "loosened", "run_away", "early_resistance"}, key)


class TheRecord(unittest.TestCase):
    def test_a_gap_and_a_knock_are_told_and_void_what_leans_on_them(self) -> None:
        plan = styled("steady-nine")
        at = forecast_of(plan).first_drip_s + 4
        gap = read(recording(plan, 3, Fault(at_s=at, gap_s=2.5)))
        self.assertAlmostEqual(only(gap, "record").missing_s, 2.5, delta=0.1)
        self.assertIn("water_count", [one.kind for one in gap.cannot_tell])
        knocked = read(recording(plan, 3, Fault(at_s=at, knock_g=-9.0)))
        self.assertAlmostEqual(only(knocked, "record").knocked_g, -9, delta=1)
        self.assertNotIn("late_meeting", [one.kind for one in knocked.findings])

    def test_the_first_drip_is_found_within_a_quarter_of_a_second(self) -> None:
        for key in ("steady-nine", "soak-then-press", "level-flow", "hard-start-falling"):
            one = recording(styled(key), 11)
            self.assertAlmostEqual(only(read(one), "first_drip").at_s, one.drip_s, delta=0.35)

    def test_a_level_flow_is_called_level_and_one_that_opens_is_not(self) -> None:
        self.assertTrue(only(read(recording(styled("level-flow"), 5)), "level").flow_g_s > 1)
        plan = styled("hard-start-falling")
        opened = read(recording(plan, 5, Fault(at_s=forecast_of(plan).stop_s - 8, opens=0.4)))
        self.assertNotIn("level", [one.kind for one in opened.findings])

    def test_a_channel_that_is_missing_is_never_guessed(self) -> None:
        one = recording(styled("steady-nine"), 5)
        for channel, kinds in (
            ("pressure_bar", {"opened", "choked"}),
            ("water_in_ml_s", {"meter", "water_count", "late_meeting"}),
            ("cup_g", {"first_drip", "stop", "level", "meter", "opened"}),
        ):
            with self.subTest(channel):
                lacks = one._replace(traces=without(one.traces, channel))
                reading = read(lacks)
                self.assertLessEqual(kinds, {found.kind for found in reading.cannot_tell})
                self.assertFalse(kinds & {found.kind for found in reading.findings})

    def test_without_a_plan_an_opening_still_shows(self) -> None:
        plan = styled("steady-nine")
        of = forecast_of(plan)
        one = recording(plan, 8, Fault(at_s=(of.first_drip_s + of.stop_s) / 2, opens=0.4))
        reading = read_curve(one.traces, None, circumstances(one))
        self.assertAlmostEqual(
            only(reading, "opened").at_s, (of.first_drip_s + of.stop_s) / 2, delta=1.2
        )
        self.assertIn("ran_like", [found.kind for found in reading.cannot_tell])
        self.assertNotIn("as planned", reading.verdict)

    def test_without_a_plan_wear_and_a_weak_pump_still_show(self) -> None:
        plan = styled("steady-nine")
        of = forecast_of(plan)
        at = of.first_drip_s + 2
        worn = recording(plan, 8, Fault(at_s=at, wears=0.9, over_s=of.stop_s - at))
        for lacks in ((), ("commanded",)):
            reading = read_curve(without(worn.traces, *lacks), None, circumstances(worn))
            found = only(reading, "run_away")
            self.assertEqual((found.weight, found.sure), ("note", "possible"))
            self.assertIn("normal for the coffee", found.words)
            self.assertNotIn("more and more", reading.verdict)
        weak = recording(plan, 8, Fault(truth={"pump_max_bar": 0.55}))
        found = only(read_curve(weak.traces, None, circumstances(weak)), "not_reached")
        self.assertEqual((found.unit, found.asked), ("bar", 9.0))
        self.assertLess(found.reached, 7)
        unasked = read_curve(without(weak.traces, "commanded"), None, circumstances(weak))
        self.assertIn("not_reached", [one.kind for one in unasked.cannot_tell])

    def test_commands_of_flow_are_told_from_commands_of_pressure(self) -> None:
        plan = styled("level-flow")
        one = recording(plan, 8)
        asked = replace(one.traces, water_in_ml_s=one.traces.water_in_ml_s * 0.8)
        found = only(read_curve(asked, None, circumstances(one)), "not_reached")
        self.assertEqual(found.unit, "mL/s")
        alike = replace(one.traces, pressure_bar=one.traces.water_in_ml_s * 0.8)
        self.assertIsNone(read_curve(alike, None, circumstances(one)).commands_in)

    def test_a_scale_that_was_tared_stood_still_or_drifts_is_told_as_such(self) -> None:
        plan = styled("steady-nine")
        one = recording(plan, 3)
        time_s, cup = one.traces.time_s, one.traces.cup_g
        at = one.drip_s + 8
        before = cup[np.searchsorted(time_s, at)]
        tared = read(with_cup(one, np.where(time_s > at, cup - before, cup)))
        self.assertEqual(only(tared, "record").title, "The scale was tared")
        self.assertAlmostEqual(only(tared, "record").knocked_g, -before, delta=1.2)
        self.assertAlmostEqual(only(tared, "stop").cup_g, only(read(one), "stop").cup_g, delta=0.7)

        held = np.where((time_s > at) & (time_s < at + 6), before, cup)
        still = read(with_cup(one, held))
        self.assertEqual([found.title for found in told(still)], ["The scale stood still"])

        drifts = read(with_cup(one, cup + 0.12 * time_s))
        self.assertEqual(only(drifts, "record").title, "The scale drifts")
        self.assertAlmostEqual(only(drifts, "first_drip").at_s, one.drip_s, delta=0.8)

    def test_a_recording_that_is_too_short_says_so(self) -> None:
        one = recording(styled("steady-nine"), 5)
        short = Traces(**{name: getattr(one.traces, name)[:30] for name in CHANNELS})
        reading = read_curve(short, one.plan)
        self.assertEqual(reading.findings, [])
        self.assertEqual({found.kind for found in reading.cannot_tell}, set(FINDING_KINDS))

    def test_a_group_that_sags_is_not_called_cold(self) -> None:
        one = recording(styled("steady-nine"), 5)
        warm = one.traces.time_s
        sagging = replace(one.traces, group_c=93.6 - 2.6 * np.minimum(1.0, warm / 20))
        found = only(read(one._replace(traces=sagging)), "temperature")
        self.assertEqual(found.title, "Temperature sagged")
        cold = replace(one.traces, group_c=np.where(warm % 1 < 0.5, 90.0, 90.1))
        found = only(read(one._replace(traces=cold)), "temperature")
        self.assertEqual((found.title, round(found.group_c)), ("Not as warm as set", 90))

    def test_water_that_a_phase_asked_for_is_not_called_cold(self) -> None:
        one = recording(styled("steady-nine"), 5)
        phases = one.plan.profile.phases
        cooler = (*phases[:-1], phases[-1].model_copy(update={"water_c": 85.0}))
        follows = one.plan.setup.machine.model_copy(update={"water_follows_s": 3.0})
        plan = one.plan.model_copy(
            update={
                "profile": one.plan.profile.model_copy(update={"phases": cooler}),
                "setup": one.plan.setup.model_copy(update={"machine": follows}),
            }
        )
        began = float(one.traces.time_s[one.traces.phase == len(phases) - 1][0])
        since = np.maximum(0.0, one.traces.time_s - began)
        asked = 93 - 8 * (1 - np.exp(-since / 3))
        as_asked = one._replace(plan=plan, traces=replace(one.traces, group_c=asked))
        self.assertEqual([f for f in read(as_asked).findings if f.kind == "temperature"], [])
        still = one._replace(
            plan=plan, traces=replace(one.traces, group_c=np.where(since % 1 < 0.5, 93.0, 93.1))
        )
        self.assertEqual(only(read(still), "temperature").title, "Warmer than set")

    def test_a_hand_that_runs_late_on_a_ramp_is_told_by_seconds(self) -> None:
        plan = styled("hard-start-falling")
        one = recording(plan, 6)
        late = replace(
            one.traces,
            pressure_bar=np.interp(
                one.traces.time_s - 1.5, one.traces.time_s, one.traces.pressure_bar
            ),
        )
        known = circumstances(one)._replace(by_hand=True)
        found = only(read_curve(late, plan, known), "by_hand")
        self.assertAlmostEqual(found.behind_s, 1.7, delta=0.8)

    def test_marks_tell_of_a_face_that_was_covered_late_and_a_dry_side(self) -> None:
        one = recording(styled("steady-nine"), 5)
        marks = (Seen(8.0, "first_bead"), Seen(14.0, "face_covered"), Seen(12.0, "dry_side"))
        known = circumstances(one)._replace(marks=marks)
        found = only(read_curve(one.traces, one.plan, known), "wetting")
        self.assertEqual((found.covered_after_s, found.dry_side), (6.0, True))


class TheVerdict(unittest.TestCase):
    def test_a_good_shot_is_said_to_be_as_planned(self) -> None:
        verdict = read(recording(styled("steady-nine"), 4)).verdict
        self.assertRegex(verdict, r"^A straight shot at 9 bar: \d+\.\d g in \d+ s, as planned\.$")

    def test_as_planned_is_never_said_of_what_was_not_measured(self) -> None:
        for key, channel in (
            ("steady-nine", "pressure_bar"), ("steady-nine", "cup_g"),
            ("steady-nine", "commanded"), ("level-flow", "water_in_ml_s"),
        ):  # fmt: skip
            one = recording(styled(key), 4)
            stuck = np.full(one.traces.time_s.size, 5.0)
            for traces in (
                without(one.traces, channel), replace(one.traces, **{channel: stuck})
            )[: 1 if channel == "commanded" else 2]:  # fmt: skip
                with self.subTest(key, channel=channel):
                    self.assertNotIn("as planned.", read(one._replace(traces=traces)).verdict)

    def test_what_stands_out_is_said_with_its_second(self) -> None:
        plan = styled("soak-then-press")
        of = forecast_of(plan)
        one = recording(plan, 4, Fault(at_s=(of.first_drip_s + of.stop_s) / 2, opens=0.4))
        verdict = read(one, [recording(plan, 5)]).verdict
        self.assertRegex(verdict, r"as planned until \d+ s\. Then the puck opened and let")


NUMBERS = st.one_of(st.floats(-50, 5000, width=32), st.just(float("nan")))


class AnyTrace(unittest.TestCase):
    @more_cases
    @settings(max_examples=examples(40), deadline=None, derandomize=True)
    @given(data=st.data())
    def test_no_trace_is_an_exception_and_no_finding_lacks_its_channel(
        self, data: st.DataObject
    ) -> None:
        size = data.draw(st.integers(0, 160))
        steps = data.draw(st.lists(st.floats(0.01, 3), min_size=size, max_size=size))
        told_of = {
            name: data.draw(st.lists(NUMBERS, min_size=size, max_size=size))
            if data.draw(st.booleans())
            else [float("nan")] * size
            for name in CHANNELS
            if name not in ("time_s", "phase")
        }
        traces = Traces(
            time_s=np.cumsum(np.array([0.0, *steps[1:]])[:size]),
            phase=np.array(data.draw(st.lists(st.integers(0, 5), min_size=size, max_size=size)),
                           dtype=float),
            **{name: np.array(values) for name, values in told_of.items()},
        )  # fmt: skip
        plan = data.draw(st.sampled_from([None, *map(styled, KEYS[:4])]))
        known = Circumstances(by_hand=data.draw(st.booleans()))
        reading = read_curve(traces, plan, known)
        for found in reading.findings:
            for channel in NEEDED.get(found.kind, ()):
                self.assertFalse(np.isnan(getattr(traces, channel)).all(), found)
