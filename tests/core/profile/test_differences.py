"""What differs between two profiles, in words."""

from __future__ import annotations

import unittest

from tests.factories import flow, off, pressure, profile, seconds
from vapocline.core.base.amounts import Units, read_in
from vapocline.core.plan.styles.fit import steady_nine
from vapocline.core.profile.differences import profile_differences
from vapocline.core.profile.profile import Limit, PressureAboveExit, Stop


class Differences(unittest.TestCase):
    BASE = profile(
        flow(4, None, PressureAboveExit(value=4), seconds(20), name="Pre-infusion"),
        pressure(9, None, seconds(30), name="Hold"),
    )

    def test_like_profiles_have_none(self) -> None:
        self.assertEqual(profile_differences(self.BASE, self.BASE), [])

    def test_each_change_is_one_short_phrase(self) -> None:
        changed = profile(
            flow(3, None, PressureAboveExit(value=6), seconds(20), name="Pre-infusion"),
            pressure(9, None, seconds(30), name="Hold", limit=Limit(flow_ml_s=2.5)),
        )
        self.assertEqual(
            profile_differences(self.BASE, changed),
            [
                "pre-infusion 4 to 3 mL/s",
                "pre-infusion leaves at 6 bar, was 4 bar",
                "hold flow limit 2.5 mL/s added",
            ],
        )

    def test_water_of_a_version_and_of_a_phase_is_said(self) -> None:
        first, last = self.BASE.phases
        own = profile(first, last.model_copy(update={"water_c": 88.0}))
        self.assertEqual(profile_differences(self.BASE, own), ["hold for water of 88 °C"])
        meant = self.BASE.model_copy(update={"water_c": 92.0})
        hotter = self.BASE.model_copy(update={"water_c": 94.0})
        self.assertEqual(profile_differences(meant, hotter), ["meant for water of 92 to 94 °C"])
        self.assertEqual(
            profile_differences(meant, self.BASE), ["meant no longer for water of 92 °C"]
        )
        with read_in(Units(temperature="F")):
            self.assertEqual(profile_differences(self.BASE, meant), ["meant for water of 197.6 °F"])

    def test_added_and_removed_phases_are_named(self) -> None:
        first, last = self.BASE.phases
        rested = profile(first, off(seconds(10), name="Rest"), last)
        self.assertEqual(profile_differences(self.BASE, rested), ["rest added"])
        self.assertEqual(profile_differences(rested, self.BASE), ["rest removed"])

    def test_moves_commands_and_the_stop(self) -> None:
        first, _last = self.BASE.phases
        falling = profile(first, pressure(9, 5, seconds(30), over=18, name="Hold"), cup_g=40)
        self.assertEqual(
            profile_differences(self.BASE, falling),
            [
                "hold ends at 5 bar, was 9",
                "hold moves over 18 s, was 0 s",
                "stop weight 36 to 40 g",
            ],
        )
        by_flow = profile(first, flow(2, None, seconds(30), name="Hold"))
        self.assertIn(
            "hold commands flow, was pressure",
            " ".join(profile_differences(self.BASE, by_flow)) or "",
        )

    def test_the_plainest_start_can_run(self) -> None:
        start = steady_nine("New", 36)
        self.assertEqual(start.stop, Stop(cup_g=36, time_s=90))
        self.assertEqual(len(start.phases), 3)
