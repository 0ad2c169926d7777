"""Designing on the curve: squares, edges, limits and the stop by pointer and keys."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.web.plan.test_designing import DECLINE, PRE_INFUSION, Designing


class OnTheCurve(Designing):
    def test_a_dragged_square_moves_the_number_the_curve_and_the_forecast(self) -> None:
        curve, shot_s = self.curve(), self.number("Shot time")
        self.drag(self.handle("Hold level"), 0, 50)
        self.settled()
        level = float(self.field("Level").input_value())
        self.assertTrue(5 < level < 7.5, level)
        self.assertEqual(round(level, 1), level)  # in the machine's steps
        self.assertNotEqual(self.curve(), curve)
        self.assertGreater(self.number("Shot time"), shot_s)
        # What touched it came along, and the whole drag is one step back.
        expect(self.phase("Ramp")).to_contain_text(f"4 {level:g}".split()[1])
        self.page.keyboard.press("Control+z")
        expect(self.field("Level")).to_have_value("8.5")
        expect(self.page.get_by_role("button", name="Undo")).to_be_disabled()

    def test_a_dragged_edge_changes_how_long_the_phase_lasts(self) -> None:
        self.drag(self.handle("Hold end"), 48, 0)
        self.settled()
        value = float(self.field("Exit: time").input_value())
        self.assertTrue(6 < value < 8.5, value)

    def test_a_dragged_edge_of_a_phase_that_ends_on_pressure_changes_that_pressure(self) -> None:
        self.open(PRE_INFUSION)
        self.drag(self.handle("Pre-infusion end"), -15, 0)
        self.settled()
        value = float(self.field("Exit: pressure up to").input_value())
        self.assertTrue(1 < value < 3.9, value)

    def test_the_stop_is_dragged_in_what_ends_the_shot(self) -> None:
        self.open(4)
        self.drag(self.handle("Stop"), -60, 0)
        self.settled()
        self.assertTrue(28 < float(self.page.get_by_label("Stop weight").input_value()) < 34)
        self.assertLess(self.number("Yield"), 35.5)

    def test_a_ramps_end_is_dragged_both_ways(self) -> None:
        self.open(DECLINE)
        self.drag(self.handle("Decline to"), -60, -30)
        self.settled()
        self.assertGreater(float(self.field("To").input_value()), 6)
        self.assertLess(float(self.field("Length").input_value()), 17)

    def test_a_limit_is_dragged(self) -> None:
        self.open(DECLINE)
        self.drag(self.handle("Decline limit"), 0, -25)
        self.settled()
        self.assertGreater(float(self.field("Limit").input_value()), 2.2)

    def test_keys_on_a_square_nudge_by_a_step_finer_and_coarser(self) -> None:
        square = self.handle("Hold level")
        square.focus()
        for key, value in (
            ("ArrowDown", "8.4"),
            ("Shift+ArrowDown", "7.4"),
            ("Alt+ArrowUp", "7.41"),
        ):
            self.page.keyboard.press(key)
            expect(self.field("Level")).to_have_value(value)
        expect(square).to_have_attribute("aria-valuetext", "7.41 bar")
        self.handle("Hold end").focus()
        self.page.keyboard.press("ArrowRight")
        expect(self.field("Exit: time")).to_have_value("5.5")

    def test_every_value_at_a_moment_is_read_by_pointer_and_by_keys(self) -> None:
        page = self.page
        box = page.locator(".scrub .reach").bounding_box()
        assert box is not None
        page.mouse.move(box["x"] + box["width"] * 0.6, box["y"] + 30)
        readout = page.locator("[data-readout]")
        for words in ("time", "commanded", "pressure", "water in", "cup out", "strength", "puck"):
            expect(readout).to_contain_text(words)
        page.mouse.move(10, 10)
        expect(readout).to_have_count(0)
        page.keyboard.press("v")
        page.keyboard.press("ArrowRight")
        moment = page.get_by_role("slider", name="Cursor")
        expect(moment).to_have_attribute("aria-valuetext", re.compile(r"time 11\.\d s, .*bar"))
        page.keyboard.press("Shift+ArrowRight")
        expect(moment).to_have_attribute("aria-valuetext", re.compile(r"time 16\.\d s"))

    def test_the_axis_counts_seconds_or_water_and_the_clock_says_from_when(self) -> None:
        page = self.page
        axis = page.get_by_role("group", name="Axis")
        stop_x = page.locator("[data-event=stop] path").get_attribute("d")
        axis.get_by_role("button", name="mL pumped").click()
        expect(page.locator("[data-event=stop] path")).not_to_have_attribute("d", stop_x or "")
        expect(page.locator(".chart .tick", has_text="mL")).to_be_visible()
        page.reload()
        self.settled()
        expect(axis.get_by_role("button", name="mL pumped")).to_have_attribute(
            "aria-pressed", "true"
        )
        axis.get_by_role("button", name="Seconds").click()
        whole = self.number("Shot time")
        page.get_by_role("button", name="Clock: pump on").click()
        page.get_by_role("option", name="first drip").click()
        expect(self.figure("Shot time")).not_to_have_text(f"{whole:.1f}")
        self.assertAlmostEqual(
            self.number("Shot time"), whole - self.number("First drip"), delta=0.15
        )
        expect(page.locator(".chart .tick", has_text=re.compile("^-5$"))).to_be_visible()
