"""Before and during a pull, without devices: checks, cues, alarms, recovery."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace
from datetime import datetime, timedelta

import numpy as np

from tests.core.pull.test_simulation import LEVER, SPRUNG, flown, simulation_of
from tests.factories import EVERY_CHECK, flow, plan, pressure, profile, seconds
from vapocline.core.machine.machine import Machine, SoftStart
from vapocline.core.profile.profile import (
    FirstDripExit,
    ForceCommand,
    Limit,
    OffCommand,
    Phase,
    PressureAboveExit,
    SpringCommand,
    ValveCommand,
)
from vapocline.core.puck import columns
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.parameters import parameters_for
from vapocline.core.puck.plan import Plan, Setup
from vapocline.core.puck.predict import predict
from vapocline.core.pull.alarms import AlarmMonitor
from vapocline.core.pull.cues import calls_of, cue_sheet
from vapocline.core.pull.portafilter import other_warmth
from vapocline.core.pull.readiness import Intended, Item, Standing, checklist, missing
from vapocline.core.pull.recovery import find_recovery, identify
from vapocline.core.pull.simulation import ShotSimulation
from vapocline.core.shot.events import Alarm, Nudged
from vapocline.core.shot.traces import Sample, Traces

MACHINE = Machine(name="Sluice", relief_bar=10, top_flow_ml_s=8.5)
NOON = datetime(2026, 3, 1, 12, 0).astimezone()
READY = Standing(
    machine_answers=True, group_c=93.2, water_left_ml=900, scale=True, weight_g=174, cup=True
)
INTENDED = Intended(
    machine="Sluice",
    mode=None,
    water_c=93,
    puck_start_c=45,
    water_ml=70,
    water=None,
    portafilter="",
    dose_g=18,
    levelled=False,
    dose_tolerance_g=0.2,
    weighed_g=18.1,
    doses_within_g=None,
    coffee="Ferrow Hill",
    bag="roasted 13 November, 400 g left",
    bag_short_g=None,
    stale=None,
    grind="14.5 on Ratline",
    retained=None,
    preparation=None,
    ready_at=None,
)


class Checking(unittest.TestCase):
    def item(self, name: str, standing: Standing = READY, **intended: object) -> Item:
        wanted = INTENDED.model_copy(update=intended)
        found = checklist(standing, wanted, frozenset(), NOON)
        return next(item for item in found if item.check == name)

    def test_with_everything_so_nothing_is_missing(self) -> None:
        self.assertEqual(missing(checklist(READY, INTENDED, EVERY_CHECK, NOON)), [])

    def test_the_preparation_on_the_bench_is_what_is_asked_for(self) -> None:
        self.assertEqual(self.item("tamp").words, "Tamped level, the rim clean")
        named = self.item("tamp", preparation="Needles: stirred with needles, tamped")
        self.assertEqual(named.words, "Needles: stirred with needles, tamped; the rim clean")

    def test_what_is_in_the_grinder_is_missing_until_somebody_says_it_was_ground_out(self) -> None:
        inside = INTENDED.model_copy(update={"retained": "1.5 g ground at 8"})
        [item] = [
            one for one in checklist(READY, inside, frozenset(), NOON) if one.check == "purge"
        ]
        self.assertEqual(item.state, "missing")
        self.assertIn("1.5 g ground at 8 is still in the grinder", item.words)
        [said] = missing(checklist(READY, inside, EVERY_CHECK - {"purge"}, NOON))
        self.assertEqual(said, item)
        self.assertEqual(missing(checklist(READY, inside, EVERY_CHECK | {"purge"}, NOON)), [])
        with self.assertRaises(StopIteration):
            self.item("purge")

    def test_what_only_the_barista_knows_is_asked(self) -> None:
        asked = [i.check for i in missing(checklist(READY, INTENDED, frozenset(), NOON))]
        self.assertEqual(asked, ["portafilter", "flush", "basket", "bag", "grind", "tamp"])

    def test_the_portafilter_is_to_be_as_warm_as_the_forecast_takes_it(self) -> None:
        for degrees, warmth in ((65, "hot"), (45, "warm"), (25, "cold")):
            words = self.item("portafilter", puck_start_c=degrees).words
            self.assertEqual(words, f"The portafilter is {warmth}")

    def test_what_a_cold_portafilter_costs_is_what_the_forecast_says(self) -> None:
        shot = profile(pressure(9, name="Press"), cup_g=36)
        warm, cold = (Plan(setup=Setup(dose_g=18, puck_start_c=c), profile=shot) for c in (45, 25))
        lost = [predict(one).extraction_yield_pct.value or 0 for one in (warm, cold)]
        points = f"{lost[0] - lost[1]:.1f} points"
        self.assertRegex(
            other_warmth(warm), f"^cold, by the model: {points} less extraction, the first drop at"
        )
        self.assertRegex(other_warmth(cold), r"^hot, by the model: .* more extraction")

    def test_a_levelled_dose_is_asked_about_and_not_taken_for_weighed(self) -> None:
        levelled = INTENDED.model_copy(update={"levelled": True, "weighed_g": None})
        for confirmed, state in ((frozenset(), "ask"), (EVERY_CHECK, "ready")):
            found = checklist(READY, levelled, confirmed, NOON)
            item = next(one for one in found if one.check == "dose")
            self.assertEqual(item.state, state)
            self.assertIn("full and levelled, taken for 18.0 g", item.words)
        self.assertIn(
            "within 0.2 g", self.item("dose", levelled=True).words
        )  # weighed all the same

    def test_a_machine_without_a_wire_is_asked_about(self) -> None:
        mute = Standing(machine_answers=True, wired=False)
        states = {i.check: i.state for i in checklist(mute, INTENDED, frozenset(), NOON)}
        for check in ("armed", "warm", "water", "cup", "tare"):
            self.assertEqual(states[check], "ask", check)
        self.assertEqual(missing(checklist(mute, INTENDED, EVERY_CHECK, NOON)), [])

    def test_a_dose_that_this_grinder_never_gives_is_to_be_ground_again(self) -> None:
        item = self.item("dose", weighed_g=19.2, doses_within_g=0.42)
        self.assertEqual(item.state, "missing")
        self.assertIn("within 0.4 g: grind again", item.words)

    def test_a_dose_that_is_only_confirmed_is_not_taken_for_weighed(self) -> None:
        unweighed = INTENDED.model_copy(update={"weighed_g": None})
        for confirmed, state, words in (
            (frozenset(), "ask", "Weigh 18.0 g"), (EVERY_CHECK, "ready", "Not weighed"),
        ):  # fmt: skip
            found = checklist(READY, unweighed, confirmed, NOON)
            item = next(one for one in found if one.check == "dose")
            self.assertEqual(item.state, state)
            self.assertIn(words, item.words)

    def test_a_dose_out_of_tolerance_is_missing_however_it_is_confirmed(self) -> None:
        for weighed, state in ((18.2, "ready"), (18.3, "missing"), (17.7, "missing")):
            found = checklist(
                READY, INTENDED.model_copy(update={"weighed_g": weighed}), EVERY_CHECK, NOON
            )
            self.assertEqual(next(i for i in found if i.check == "dose").state, state, weighed)
        self.assertIn("+0.3 g off", self.item("dose", weighed_g=18.3).words)

    def test_a_cold_group_and_a_clock_that_still_runs(self) -> None:
        cold = READY.model_copy(update={"group_c": 88.0})
        self.assertEqual(self.item("warm", cold).state, "missing")
        self.assertIn("5.0 °C below", self.item("warm", cold).words)
        soon = self.item("warm", ready_at=NOON + timedelta(minutes=7))
        self.assertEqual((soon.state, "7 min" in soon.words), ("missing", True))
        mute = READY.model_copy(update={"group_c": None})
        self.assertEqual(self.item("warm", mute).state, "ask")
        done = self.item("warm", mute, ready_at=NOON - timedelta(minutes=1))
        self.assertEqual(done.state, "ready")

    def test_a_tank_must_hold_the_shot_and_some_more(self) -> None:
        low = READY.model_copy(update={"water_left_ml": 90.0})
        self.assertEqual(self.item("water", low).state, "missing")
        self.assertIn("this takes 100 mL", self.item("water", low).words)

    def test_no_cup_a_silent_scale_and_no_scale_at_all(self) -> None:
        bare = READY.model_copy(update={"cup": False, "weight_g": 0.0})
        self.assertEqual(self.item("cup", bare).state, "missing")
        silent = READY.model_copy(update={"weight_g": None, "cup": None})
        self.assertEqual(self.item("tare", silent).state, "missing")
        self.assertEqual(self.item("cup", silent).state, "ask")
        none = READY.model_copy(update={"scale": False, "weight_g": None, "cup": None})
        self.assertEqual(self.item("tare", none).state, "ask")

    def test_a_machine_that_does_not_answer_says_why(self) -> None:
        gone = Standing(machine_answers=False, machine_says="No machine responds at x.")
        self.assertEqual(self.item("armed", gone).words, "No machine responds at x.")
        self.assertEqual(self.item("armed", gone).state, "missing")

    def test_a_bag_that_lacks_beans_is_missing_until_said_otherwise(self) -> None:
        self.assertEqual(self.item("bag", bag_short_g=4.0).state, "missing")
        short = INTENDED.model_copy(update={"bag_short_g": 4.0})
        self.assertEqual(missing(checklist(READY, short, EVERY_CHECK, NOON)), [])


class Cueing(unittest.TestCase):
    def test_a_lever_is_given_kilograms_and_what_to_wait_for(self) -> None:
        sheet = cue_sheet(
            profile(
                Phase(
                    name="Soak",
                    kind="pre-infusion",
                    command=ForceCommand(from_=6, to=6),
                    exits=(FirstDripExit(), seconds(25)),
                ),
                Phase(name="Rest", kind="bloom", command=OffCommand(), exits=(seconds(5),)),
                Phase(
                    name="Rise",
                    kind="ramp",
                    command=ForceCommand(from_=6, to=20),
                    over=4,
                    exits=(seconds(4),),
                ),
            ),
            LEVER,
        )
        self.assertEqual(
            [cue.say for cue in sheet],
            ["Press 6 kg", "Rest: no weight on the lever", "Press 6 to 20 kg over 4 s", "Stop"],
        )
        self.assertEqual(sheet[0].until, "until the first drip, 25 s at most")
        self.assertEqual(sheet[1].until, "for 5 s")
        self.assertEqual((sheet[2].until, sheet[2].gates), ("until the stop", ()))
        self.assertEqual(sheet[3].until, "at 36 g in the cup")

    def test_a_moving_phase_is_called_in_whole_bars_or_quarter_turns_with_their_seconds(
        self,
    ) -> None:
        falls = pressure(9, 5.5, seconds(20), over=14)
        called = [(one.level, one.unit, one.at_s) for one in calls_of(falls, MACHINE)]
        self.assertEqual(called, [(9, "bar", 0), (8, "bar", 4), (7, "bar", 8), (6, "bar", 12)])
        press = falls.model_copy(update={"command": ForceCommand(from_=10, to=20), "over": 5})
        self.assertEqual([one.level for one in calls_of(press, LEVER)], [5, 6, 7, 8, 9, 10])
        turned = falls.model_copy(update={"command": ValveCommand(from_=0.5, to=1.25), "over": 6})
        self.assertEqual(
            [(one.level, one.unit) for one in calls_of(turned, MACHINE)],
            [(0.5, "turns"), (0.75, "turns"), (1.0, "turns"), (1.25, "turns")],
        )
        smooth = falls.model_copy(update={"shape": "smooth"})
        self.assertGreater(calls_of(smooth, MACHINE)[1].at_s, 4)
        self.assertEqual(calls_of(pressure(9), MACHINE), ())
        by_cup = falls.model_copy(update={"along": "cup"})
        self.assertEqual(calls_of(by_cup, MACHINE), ())

    def test_a_spring_is_drawn_and_let_go_and_a_switch_is_switched(self) -> None:
        sprung = profile(
            pressure(1.2, None, PressureAboveExit(value=1), seconds(12)),
            Phase(
                name="Go", kind="decline", command=SpringCommand(springs=2), exits=(seconds(60),)
            ),
        )
        self.assertEqual(
            [cue.say for cue in cue_sheet(sprung, SPRUNG)][:2],
            ["Draw the lever down", "Let the lever go on both springs"],
        )
        switched = Machine(name="Night", control=SoftStart())
        self.assertEqual(cue_sheet(profile(pressure(9)), switched)[0].say, "Switch the pump on")


def samples_of(simulation: ShotSimulation, seed: int = 1) -> list[Sample]:
    dice = np.random.default_rng(seed)
    found = []
    for at, row in enumerate(simulation.samples[: simulation.sampled]):
        told = simulation.commands[at] if at < len(simulation.commands) else simulation.commands[-1]
        found.append(
            Sample(
                time_s=float(row[columns.S_TIME]),
                pressure_bar=max(0.0, float(row[columns.S_P] + 0.04 * dice.normal())),
                water_in_ml_s=max(0.0, float(row[columns.S_Q_IN] + 0.05 * dice.normal())),
                cup_g=float(row[columns.S_CUP]),
                group_c=93.0,
                commanded=told.commanded,
                control=told.control,
                phase=int(row[columns.S_PHASE]),
                by_hand=told.by_hand,
            )
        )
    return found


FLAT = plan(pressure(9), machine=MACHINE).model_copy(update={"members": 60})
FLOWING = plan(
    flow(4, None, PressureAboveExit(value=4), seconds(20)),
    flow(2, limit=Limit(pressure_bar=10)),
    machine=MACHINE,
).model_copy(update={"members": 60})


def deviating(one: Plan, factor: float, until_s: float) -> ShotSimulation:
    """A shot whose puck is looser or tighter than the plan supposes."""
    truth = parameters_for(one.setup)
    truth = truth._replace(permeability=truth.permeability * factor)
    return flown(ShotSimulation(one.profile, one.setup.machine, truth), until_s)


class Watching(unittest.TestCase):
    def alarms(self, samples: list[Sample], forecast: Prediction, **rest: bool) -> list[Alarm]:
        watch = AlarmMonitor(forecast, **{"scaled": True} | rest)
        return [alarm for sample in samples for alarm in watch.look(sample)]

    def test_a_shot_that_goes_as_predicted_raises_none(self) -> None:
        for one in (FLAT, FLOWING):
            samples = samples_of(flown(simulation_of(one), 22))
            self.assertEqual(self.alarms(samples, predict(one)), [])

    def test_pressure_near_the_relief_valve_is_told_unless_it_is_asked_for(self) -> None:
        def pressed(bar: float, control: str, asked: float) -> list[Sample]:
            return [
                Sample(t, bar, 2.0, 1.0, 93, asked, control, 0)
                for t in np.arange(0.0, 3.0, 0.05).tolist()
            ]

        def told(samples: list[Sample], relief_bar: float) -> list[Alarm]:
            watch = AlarmMonitor(predict(FLOWING), scaled=True, relief_bar=relief_bar)
            return [alarm for sample in samples for alarm in watch.look(sample)]

        self.assertEqual(told(pressed(9.6, "flow", 2.0), 10), ["over_pressure"])
        self.assertEqual(told(pressed(9.4, "flow", 2.0), 10), [])
        self.assertEqual(told(pressed(11.1, "flow", 2.0), 15), ["over_pressure"])
        self.assertEqual(told(pressed(9.6, "pressure", 9.5), 10), [])

    def test_a_pump_that_gives_nothing_is_noticed_and_said_once(self) -> None:
        dry = [
            Sample(t, 0.1, 0.0, 0.0, 93, 4.0, "flow", 0) for t in np.arange(0.0, 8.0, 0.05).tolist()
        ]
        self.assertEqual(self.alarms(dry, predict(FLOWING)), ["no_flow"])

    def test_without_a_flow_meter_no_stall_is_made_up(self) -> None:
        samples = [
            replace(sample, water_in_ml_s=math.nan, pressure_bar=0.2)
            for sample in samples_of(deviating(FLAT, 1.0, 9))
        ]
        watch = AlarmMonitor(predict(FLAT), scaled=True)
        raised = [alarm for sample in samples for alarm in watch.look(sample)]
        self.assertNotIn("no_flow", raised)

    def test_a_rest_with_the_pump_off_is_no_stall(self) -> None:
        resting = [
            Sample(t, 0.1, 0.0, 0.0, 93, None, "off", 0) for t in np.arange(0.0, 8.0, 0.05).tolist()
        ]
        self.assertEqual(self.alarms(resting, predict(FLOWING)), [])

    def test_a_silent_scale_and_a_cup_that_was_lifted(self) -> None:
        samples = samples_of(flown(simulation_of(FLAT), 18))
        deaf = [s if s.time_s < 9 else silenced(s) for s in samples]
        self.assertEqual(self.alarms(deaf, predict(FLAT)), ["scale_silent"])
        self.assertEqual(self.alarms(deaf, predict(FLAT), scaled=False), [])
        lifted = [s if s.time_s < 16 else weighing(s, -170) for s in samples]
        self.assertEqual(self.alarms(lifted, predict(FLAT)), ["cup_lifted"])

    def test_a_choking_and_a_gushing_puck_leave_the_band(self) -> None:
        for factor in (0.5, 1.9):
            for one in (FLAT, FLOWING):
                samples = samples_of(deviating(one, factor, 16))
                self.assertIn("off_band", self.alarms(samples, predict(one)), (factor, one))


def weighing(sample: Sample, cup_g: float) -> Sample:
    return Sample(**{**vars(sample), "cup_g": cup_g})


def silenced(sample: Sample) -> Sample:
    return weighing(sample, float("nan"))


class Recovering(unittest.TestCase):
    def test_the_puck_is_reported_from_its_first_seconds(self) -> None:
        nominal = parameters_for(FLAT.setup).permeability
        for one in (FLAT, FLOWING):
            for factor in (0.7, 1.0, 1.35):
                found = identify(one, [], samples_of(deviating(one, factor, 9)))
                self.assertAlmostEqual(found.permeability / nominal / factor, 1.0, delta=0.06)

    def test_a_gauge_that_is_not_there_is_not_taken_for_the_puck(self) -> None:
        whole = samples_of(deviating(FLAT, 1.3, 9))
        truth = identify(FLAT, [], whole).permeability
        for gauge in ("water_in_ml_s", "cup_g", "group_c"):
            blind = [replace(sample, **{gauge: math.nan}) for sample in whole]
            with self.subTest(gauge):
                found = identify(FLAT, [], blind).permeability
                self.assertAlmostEqual(found / truth, 1.0, delta=0.08)
        gauges = dict.fromkeys(("pressure_bar", "water_in_ml_s", "cup_g"), math.nan)
        nothing = identify(FLAT, [], [replace(sample, **gauges) for sample in whole])
        planned = parameters_for(FLAT.setup).permeability
        self.assertAlmostEqual(nothing.permeability / planned, 1.0, delta=0.02)

    def test_what_was_done_meanwhile_is_not_taken_for_the_puck(self) -> None:
        simulation = deviating(FLAT, 1.0, 6)
        simulation.nudge(-3)
        flown(simulation, 11)
        samples, nominal = samples_of(simulation), parameters_for(FLAT.setup).permeability
        knowing = identify(FLAT, [Nudged(time_s=6, control="pressure", by=-3)], samples)
        self.assertAlmostEqual(knowing.permeability / nominal, 1.0, delta=0.05)
        ignorant = identify(FLAT, [], samples)
        self.assertGreater(abs(ignorant.permeability / nominal - 1), 0.05)

    def test_a_gusher_is_advised_to_press_less_and_that_does_bring_it_back(self) -> None:
        forecast = predict(FLAT)
        found = find_recovery(FLAT, forecast, [], samples_of(deviating(FLAT, 1.45, 9)))
        assert found
        assert found.nudge is not None
        self.assertLess(found.nudge, 0)
        self.assertIn("µm coarser", found.words)
        self.assertIn("Lower pressure", found.words)
        helped, left = deviating(FLAT, 1.45, 9), deviating(FLAT, 1.45, 200)
        helped.nudge(found.nudge)
        flown(helped, 200)
        planned = forecast.shot_time_s.value or 0
        ends = [float(f.state.now[columns.STOP_T]) for f in (helped, left)]
        self.assertLess(abs(ends[0] - planned), abs(ends[1] - planned))
        self.assertAlmostEqual(found.shot_time_s or 0, ends[0], delta=1.5)

    def test_a_choked_puck_that_no_nudge_helps_is_reported_with_what_stopping_on_time_gives(
        self,
    ) -> None:
        found = find_recovery(FLAT, predict(FLAT), [], samples_of(deviating(FLAT, 0.55, 9)))
        assert found
        self.assertIn("µm finer", found.words)
        self.assertTrue(found.nudge is None or found.nudge > 0)

    def test_a_shot_on_its_way_needs_nothing(self) -> None:
        self.assertIsNone(
            find_recovery(FLAT, predict(FLAT), [], samples_of(deviating(FLAT, 1.0, 9)))
        )

    def test_on_a_machine_with_nothing_to_steer_only_the_end_is_reported(self) -> None:
        night = Machine(name="Night", control=SoftStart(pump_bar=9, rise_s=3), relief_bar=10)
        one = plan(pressure(9), machine=night).model_copy(update={"members": 60})
        found = find_recovery(one, predict(one), [], samples_of(deviating(one, 1.5, 9)))
        assert found
        self.assertIsNone(found.nudge)
        self.assertIn("nothing to adjust", found.words)


def traces_of(time_s: np.ndarray, pressure_bar: np.ndarray, **rest: np.ndarray) -> Traces:
    nan = np.full(time_s.size, np.nan)
    whole = dict.fromkeys(
        ("water_in_ml_s", "cup_out_ml_s", "cup_g", "phase"), np.zeros(time_s.size)
    )
    whole |= {"group_c": np.full(time_s.size, 93.0), "commanded": nan, "by_hand": nan} | rest
    return Traces(time_s=time_s, pressure_bar=pressure_bar, **whole)
