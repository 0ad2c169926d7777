"""Designing a shot: by the hand on the curve, by keys alone, by goal, by style, by sliders."""

from __future__ import annotations

import re

from playwright.sync_api import Locator, Page, expect

from tests.marks import exhaustive
from tests.web.pages import PHONE, InBrowser
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.plan.profiles import NewProfile, find_profile, read_history, start_profile

QUAY, PRE_INFUSION, RAMP, HOLD, DECLINE = 4, 0, 1, 2, 3


class Designing(InBrowser):
    """Each test has a profile of its own, begun as Quay fall, on the bench as it was."""

    def setUp(self) -> None:
        super().setUp()
        bench = BenchChange(dose_g=18, yield_g=36, grind_setting=14.5, goals=[], follows="yield_g")
        change_bench(self.app, bench)
        quay = read_history(self.app, QUAY).newest.profile
        name = self._testMethodName[5:60]
        self.profile_id = start_profile(self.app, NewProfile(name=name, profile=quay)).profile_id
        self.open(HOLD)

    def open(self, phase: int, page: Page | None = None) -> None:
        page = page or self.page
        page.goto(f"/plan/{self.profile_id}?phase={phase}")
        expect(page.get_by_role("tab", name="Phase")).to_be_visible()
        self.settled(page)

    def handle(self, name: str) -> Locator:
        return self.page.get_by_role("slider", name=name, exact=True).last

    def field(self, label: str) -> Locator:
        return self.page.locator("[data-editor]").get_by_role("textbox", name=label, exact=True)

    def drag(self, handle: Locator, dx: float, dy: float) -> None:
        box = handle.locator("rect").last.bounding_box()
        assert box is not None
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        for step in range(1, 6):
            self.page.mouse.move(x + dx * step / 5, y + dy * step / 5)
        self.page.mouse.up()

    def drawer(self, name: str) -> Locator:
        self.page.get_by_role("tab", name=name).click()
        return self.page.locator("[data-part='drawer']").get_by_role("region")

    def curve(self) -> str:
        return self.page.locator("[data-trace=pressure_bar] path").first.get_attribute("d") or ""


class ByKeysAlone(Designing):
    def test_a_profile_of_four_phases_is_built_from_nothing_without_the_mouse(self) -> None:
        self.provokes_refusals = True
        page, keys = self.page, self.page.keyboard
        for _ in range(4):
            keys.press("Delete")
        expect(page.get_by_role("region", name="Refused")).to_contain_text("at least one phase")
        for name, control, level, length in (
            ("Wet", "flow", "5", "4"),
            ("Rest", "pump off", "", "8"),
            ("Rise", "pressure", "6", "3"),
            ("Press", "pressure", "8", "50"),
        ):
            keys.press("a")
            keys.press("e")
            keys.press("Control+a")
            keys.type(name)
            self.pick("Command", control)
            if level:
                self.type_into("Level", level)
            self.type_into("Exit: time", length)
            keys.press("Escape")
            page.locator("[data-editor]").evaluate("() => document.activeElement.blur()")
        self.settled()
        expect(page.get_by_role("region", name="Refused")).to_have_count(0)
        keys.press("Control+s")
        expect(page.get_by_role("button", name="Saved", exact=True)).to_be_visible()
        saved = read_history(self.app, self.profile_id).newest.profile
        self.assertEqual([one.name for one in saved.phases], ["Wet", "Rest", "Rise", "Press"])
        controls = [one.command.control for one in saved.phases]
        self.assertEqual(controls, ["flow", "off", "pressure", "pressure"])
        self.assertEqual([one.exits[0].value for one in saved.phases], [4, 8, 3, 50])

    def tab_to(self, locator: Locator) -> None:
        for _ in range(40):
            if locator.evaluate("(one) => one === document.activeElement"):
                return
            self.page.keyboard.press("Tab")
        self.fail("not reached by Tab")

    def pick(self, label: str, words: str) -> None:
        button = self.page.locator("[data-editor]").get_by_role("button", name=f"{label}: ").first
        self.tab_to(button)
        if (button.inner_text()).strip() == words:
            return
        self.page.keyboard.press("Space")
        expect(self.page.get_by_role("option", name=words).first).to_be_visible()
        self.page.keyboard.type(words)
        self.page.keyboard.press("Enter")
        expect(button).to_have_text(words)

    def type_into(self, label: str, text: str) -> None:
        field = self.field(label)
        self.tab_to(field)
        self.page.keyboard.press("Control+a")
        self.page.keyboard.type(text)
        expect(field).to_have_value(text)

    def test_a_phase_is_split_and_merged_again(self) -> None:
        blocks = self.page.get_by_role("group", name="Phases").get_by_role("button")
        count = blocks.count()
        self.page.keyboard.press("x")
        expect(blocks).to_have_count(count + 1)
        expect(self.field("Exit: time")).to_have_value("2.5")
        self.page.keyboard.press("m")
        expect(blocks).to_have_count(count)
        expect(self.field("Exit: time")).to_have_value("5")

    def test_a_split_ramp_goes_on_where_it_was_cut(self) -> None:
        self.open(RAMP)
        self.page.keyboard.press("x")
        expect(self.field("To")).to_have_value("6.25")
        self.page.keyboard.press("ArrowRight")
        expect(self.field("From")).to_have_value("6.25")
        self.page.keyboard.press("ArrowLeft")
        self.page.keyboard.press("m")
        expect(self.field("To")).to_have_value("8.5")
        expect(self.field("Length")).to_have_value("3")

    def test_undo_and_redo_reach_over_everything_and_outlive_a_reload(self) -> None:
        page = self.page
        self.field("Level").fill("8")
        page.keyboard.press("Escape")
        self.handle("Hold end").focus()
        page.keyboard.press("ArrowRight")
        self.settled()
        page.reload()
        self.settled()
        undo = page.get_by_role("button", name="Undo")
        undo.click()
        expect(self.field("Exit: time")).to_have_value("5")
        undo.click()
        expect(self.field("Level")).to_have_value("8.5")
        page.get_by_role("button", name="Redo").click()
        page.get_by_role("button", name="Redo").click()
        expect(self.field("Level")).to_have_value("8")
        expect(self.field("Exit: time")).to_have_value("5.5")


class ByWords(Designing):
    def test_exits_that_contradict_each_other_are_refused_beside_the_field(self) -> None:
        self.provokes_refusals = True
        self.open(PRE_INFUSION)
        page = self.page
        shot_s = self.number("Shot time")
        page.get_by_role("button", name="or", exact=True).click()
        page.get_by_role("button", name=re.compile("^Exit: ")).last.click()
        page.get_by_role("option", name="pressure down to").click()
        field = self.field("Exit: pressure down to")
        field.fill("6")
        expect(page.locator("[data-part='field-error']")).to_contain_text(
            "got 6; takes less than 4 bar, where the phase is left on the way up"
        )
        # The last good forecast stays in view, and what was typed stays typed.
        expect(page.get_by_text("before this change")).to_be_visible()
        self.assertEqual(self.number("Shot time"), shot_s)
        expect(field).to_have_value("6")
        field.fill("3")
        self.settled()
        expect(page.locator("[data-part='field-error']")).to_have_count(0)

    def test_an_exit_that_can_never_come_is_noticed_beside_it(self) -> None:
        page = self.page
        page.get_by_role("button", name="or", exact=True).click()
        page.get_by_role("button", name=re.compile("^Exit: ")).last.click()
        page.get_by_role("option", name="pressure up to").click()
        self.field("Exit: pressure up to").fill("9.5")
        expect(page.locator("[data-part='field-note']")).to_contain_text("9.5 bar is never reached")

    def test_what_the_machine_does_not_take_is_greyed_with_why(self) -> None:
        page = self.page
        page.get_by_role("button", name="Command: pressure").click()
        option = page.get_by_role("option", name=re.compile("^valve"))
        expect(option).to_have_attribute("aria-disabled", "true")
        expect(option).to_contain_text("Sluice Two takes pressure, flow, pump off")
        page.keyboard.press("Escape")

    def test_any_two_of_dose_ratio_and_yield_give_the_third(self) -> None:
        page = self.page
        page.get_by_role("button", name="Dose: 18.0 g").click()
        page.get_by_label("Dose", exact=True).fill("20")
        expect(page.get_by_label("Yield", exact=True)).to_have_value("40")
        page.get_by_label("Yield", exact=True).fill("50")
        expect(page.get_by_label("Ratio", exact=True)).to_have_value("2.5")
        expect(page.get_by_text("a marked glass: this coffee")).to_be_visible()
        expect(page.get_by_text(re.compile(r"stop at \d+\.\d g for the yield"))).to_be_visible()
        page.get_by_role("button", name="in a marked glass").click()
        page.get_by_label("Yield", exact=True).fill("60")
        glass = re.compile("^Yield: 60 mL in the glass$")
        expect(page.get_by_role("button", name=glass)).to_be_visible()
        bench = read_bench(self.app)
        self.assertAlmostEqual(bench.glass_ml, 60, delta=0.2)
        self.assertLess(bench.yield_g, 50)

    def test_water_is_read_and_typed_in_fahrenheit(self) -> None:
        page = self.page
        page.get_by_role("button", name="Water: 93 °C").click()
        page.get_by_role("button", name="°F", exact=True).click()
        page.get_by_label("Water", exact=True).fill("197.6")
        expect(page.get_by_role("button", name="Water: 197.6 °F")).to_be_visible()
        self.assertAlmostEqual(read_bench(self.app).water_c, 92, delta=0.01)
        change_bench(self.app, BenchChange(water_c=93))

    def test_weights_and_volumes_are_read_and_typed_in_ounces(self) -> None:
        self.provokes_refusals = True
        page = self.page
        page.get_by_role("button", name="Dose: 18.0 g").click()
        page.get_by_role("button", name="oz", exact=True).click()
        page.get_by_role("button", name="fl oz", exact=True).click()
        page.get_by_label("Dose", exact=True).fill("0.705")
        expect(page.get_by_role("button", name="Dose: 0.705 oz")).to_be_visible()
        self.assertAlmostEqual(read_bench(self.app).dose_g, 19.986, delta=0.001)
        page.get_by_label("Dose", exact=True).fill("7")
        alert = page.get_by_role("alert").filter(has_text="oz")
        expect(alert).to_contain_text("takes a number from 0.176 to 1.411 oz")
        page.get_by_label("Dose", exact=True).fill("0.635")
        expect(page.get_by_role("button", name="Dose: 0.635 oz")).to_be_visible()
        page.keyboard.press("Escape")
        self.settled(page)
        expect(page.locator("[data-figure=Yield]")).to_contain_text(re.compile(r"1\.\d{3} ?oz"))
        expect(page.locator("[data-figure='Water used']")).to_contain_text("fl oz")
        page.get_by_role("button", name="fl oz pumped").click()
        page.goto(f"/plan/{self.profile_id}?phase=4")
        page.get_by_label("Stop weight").fill("1.27")
        expect(page.get_by_text("at 1.27 oz")).to_be_visible()
        page.goto("/pull/4/3")
        expect(page.locator("[data-check=dose]")).to_contain_text("0.635 oz")
        page.goto("/shelf/machines/1")
        expect(page.get_by_text(re.compile(r"head fills with 0\.237 fl oz"))).to_be_visible()

    def test_the_house_s_units_are_read_where_nobody_chose_others(self) -> None:
        page = self.page
        page.goto("/shelf/house")
        page.get_by_role("button", name="oz", exact=True).click()
        page.get_by_role("button", name="°F", exact=True).click()
        expect(page.get_by_role("button", name="Dose: 0.635 oz")).to_be_visible()
        other = self.new_page(self.enterContext(self.opened()))
        other.goto("/plan/4")
        expect(other.get_by_role("button", name="Dose: 0.635 oz")).to_be_visible()
        expect(other.get_by_role("button", name="Water: 199.4 °F")).to_be_visible()
        other.get_by_role("button", name="Water: 199.4 °F").click()
        other.get_by_role("button", name="°C", exact=True).click()
        other.reload()
        expect(other.get_by_role("button", name="Water: 93 °C")).to_be_visible()
        for unit in ("g", "°C"):
            page.get_by_role("button", name=unit, exact=True).click()
        expect(page.get_by_role("button", name="Dose: 18.0 g")).to_be_visible()

    def test_who_reads_fahrenheit_finds_it_in_checks_refusals_and_calibrations_too(self) -> None:
        self.provokes_refusals = True
        page = self.page
        page.get_by_role("button", name="Water: 93 °C").click()
        page.get_by_role("button", name="°F", exact=True).click()
        page.get_by_label("Water", exact=True).fill("300")
        alert = page.get_by_role("alert").filter(has_text="°F")
        expect(alert).to_contain_text("got 300; takes a number from 140 to 212 °F")
        page.keyboard.press("Escape")
        page.goto("/pull/4/3")
        expect(page.locator("[data-check=warm]")).to_have_text(
            re.compile(r"The group is at 19\d\.\d °F, for 199\.4 °F$")
        )
        expect(page.locator("[data-check=portafilter]")).to_contain_text("°F")
        page.goto("/read/1")
        expect(page.get_by_text(re.compile(r"· 199\.4 °F$"))).to_be_visible()
        page.goto("/shelf/machines/1")
        page.locator("[data-what=group-temperature]").get_by_role("button").first.click()
        for row, (boiler, group) in enumerate(((212, 194), (221, 203), (230, 212)), 1):
            page.get_by_label(f"Boiler {row}", exact=True).fill(str(boiler))
            page.get_by_label(f"Group {row}", exact=True).fill(str(group))
        expect(page.get_by_text("At 199.4 °F at the group the boiler stands at")).to_be_visible()

    def test_a_goal_is_set_on_a_figure_and_reached_by_moving_the_grind(self) -> None:
        page = self.page
        page.get_by_role("button", name="Goal for shot time: no goal").click()
        page.get_by_label("Goal for shot time").last.fill("33")
        page.get_by_role("button", name="Set the goal").click()
        expect(page.get_by_role("button", name="Goal for shot time: goal 33 s")).to_be_visible()
        panel = self.drawer("Reach a goal")
        panel.get_by_role("button", name="Search").click()
        expect(panel).to_contain_text("everything wanted is met")
        expect(page.get_by_text("grey: suggested")).to_be_visible()
        before = read_bench(self.app).grind_setting
        panel.get_by_role("button", name="Apply").click()
        expect(page.get_by_role("button", name="Grind: 14.5")).to_have_count(0)
        self.settled()
        self.assertLess(read_bench(self.app).grind_setting, before)
        self.assertAlmostEqual(self.number("Shot time"), 33, delta=0.6)


class ByComputing(Designing):
    def test_a_suggestion_is_seen_before_it_is_taken_and_left_without_a_trace(self) -> None:
        page = self.page
        panel = self.drawer("Suggest")
        panel.get_by_role("button", name="Count along water").click()
        expect(panel).to_contain_text("counted in water")
        expect(page.locator("[data-trace=ghost]")).to_be_attached()
        panel.get_by_role("button", name="Cancel").click()
        expect(page.locator("[data-trace=ghost]")).to_have_count(0)
        expect(page.get_by_role("button", name="Saved", exact=True)).to_be_visible()
        panel.get_by_role("button", name="How long to pre-infuse").click()
        expect(panel).to_contain_text("fill the head")
        panel.get_by_role("button", name="Apply").click()
        expect(page.get_by_role("button", name="Save as v2", exact=True)).to_be_visible()
        expect(self.phase("Pre-infusion")).not_to_contain_text("20 s")

    def test_a_band_upside_down_is_refused_and_a_good_one_found(self) -> None:
        self.provokes_refusals = True
        panel = self.drawer("Suggest")
        panel.get_by_label("Band from").fill("9")
        panel.get_by_label("Band to").fill("5")
        panel.get_by_role("button", name="A flow for a pressure band").click()
        expect(panel.get_by_role("alert")).to_contain_text("less than 5")
        panel.get_by_label("Band from").fill("3")
        panel.get_by_role("button", name="A flow for a pressure band").click()
        expect(panel).to_contain_text("mL/s in pre-infusion brings its pressure to")

    def test_what_if_shows_each_change_beside_the_shot_as_it_is(self) -> None:
        panel = self.drawer("What if")
        expect(panel.get_by_role("listitem")).to_have_count(8)
        expect(panel.locator("[data-variant=finer]")).to_contain_text(re.compile(r"\+\d"))
        expect(panel.locator("[data-variant=coarser]")).to_contain_text(re.compile(r"-\d"))

    def test_the_simple_sliders_move_the_profile_and_say_what_they_did(self) -> None:
        page = self.page
        panel = self.drawer("Simple")
        longer = panel.get_by_role("slider", name="Shorter to Longer")
        longer.focus()
        page.keyboard.press("ArrowRight")
        page.keyboard.press("ArrowRight")
        expect(panel.get_by_role("status")).to_contain_text("stop weight 36 to 42 g")
        expect(panel.get_by_role("status")).to_contain_text("yield +")
        self.settled()
        self.assertGreater(self.number("Yield"), 41)
        page.get_by_role("button", name="Undo").click()
        expect(longer).to_have_value("0")  # another hand moved it: the middle is the profile again
        self.settled()
        self.assertLess(self.number("Yield"), 41)

    def test_a_style_is_fitted_to_the_bench_and_started_from(self) -> None:
        page = self.page
        page.keyboard.press("s")
        dialog = page.get_by_role("dialog")
        dialog.get_by_role("button", name="Long and open").click()
        expect(dialog).to_contain_text("yield 36 to 90 g")
        expect(dialog).to_contain_text("practitioners disagree")
        dialog.get_by_label("Name of the new profile").fill("A long one")
        dialog.get_by_role("button", name="Start from this").click()
        expect(page.get_by_role("heading", name="A long one")).to_be_visible()
        self.settled()
        self.assertAlmostEqual(self.number("Yield"), 90, delta=0.8)
        bench = read_bench(self.app)
        self.assertEqual(bench.yield_g, 90)
        self.assertGreater(bench.grind_setting, 16)
        find_profile(self.app, "A long one")

    def test_a_style_may_leave_the_grind_alone(self) -> None:
        page = self.page
        page.get_by_role("button", name="Start from a style").click()
        dialog = page.get_by_role("dialog")
        expect(dialog).to_contain_text("grind 300 to")
        dialog.get_by_label("Adjust the grind too").uncheck()
        expect(dialog).not_to_contain_text("grind 300 to")
        dialog.get_by_label("Name of the new profile").fill("As it is ground")
        dialog.get_by_role("button", name="Start from this").click()
        expect(page.get_by_role("heading", name="As it is ground")).to_be_visible()
        self.assertEqual(read_bench(self.app).grind_setting, 14.5)


class ByVersions(Designing):
    def setUp(self) -> None:
        super().setUp()
        self.field("Level").fill("7.5")
        self.page.keyboard.press("Control+s")
        expect(self.page.get_by_role("button", name="Saved", exact=True)).to_be_visible()

    def test_two_versions_are_compared_and_an_old_one_is_brought_back_as_a_new(self) -> None:
        page = self.page
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Versions", exact=True).click()
        dialog = page.get_by_role("dialog")
        expect(dialog.get_by_role("region", name="Compare two")).to_contain_text(
            "hold 8.5 to 7.5 bar"
        )
        expect(dialog.get_by_role("status")).to_contain_text("shot ")
        dialog.get_by_role("listitem").filter(has_text="v1").get_by_role(
            "button", name="Restore"
        ).click()
        expect(dialog).to_have_count(0)
        expect(self.field("Level")).to_have_value("8.5")
        expect(page.get_by_role("button", name="Save as v3", exact=True)).to_be_visible()
        self.assertEqual(read_history(self.app, self.profile_id).newest.number, 2)

    def test_a_branch_is_a_profile_of_its_own(self) -> None:
        page = self.page
        page.get_by_role("button", name="Versions", exact=True).click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_role("button", name="Branch off").last.click()
        dialog.get_by_label("Name of the branch").fill("Off from one")
        dialog.get_by_role("button", name="Start it").click()
        expect(page.get_by_role("heading", name="Off from one")).to_be_visible()
        branch = read_history(self.app, find_profile(self.app, "Off from one")).newest.profile
        self.assertEqual(branch.phases[HOLD].command.to, 8.5)

    def test_any_version_is_drawn_as_a_ghost(self) -> None:
        page = self.page
        ghost = page.locator("[data-trace=ghost]")
        expect(ghost).to_have_count(0)
        page.get_by_role("button", name="Ghost: ").click()
        page.get_by_role("option", name="ghost v1", exact=True).click()
        expect(ghost).to_be_attached()
        page.get_by_role("button", name="Ghost: ").click()
        page.get_by_role("option", name="no ghost").click()
        expect(ghost).to_have_count(0)


class ForEveryone(Designing):
    def look(self, page: Page) -> None:
        self.open(HOLD, page)
        self.assertEqual(self.violations(page), [])
        for tab in ("Simple", "What if", "Suggest", "Reach a goal"):
            page.get_by_role("tab", name=tab).click()
            expect(
                page.locator("[data-part='drawer']").get_by_role("region", name=tab)
            ).to_be_visible()
            self.assertEqual(self.violations(page), [], tab)
        for name in ("Start from a style", "Versions"):
            page.get_by_role("button", name=name, exact=True).click()
            expect(page.get_by_role("dialog").get_by_role("img").first).to_be_visible()
            self.assertEqual(self.violations(page), [], name)
            page.keyboard.press("Escape")
            expect(page.get_by_role("dialog")).to_have_count(0)

    def test_no_serious_barrier_in_the_light(self) -> None:
        self.look(self.page)

    @exhaustive
    def test_none_in_the_dark(self) -> None:
        self.page.emulate_media(color_scheme="dark")
        self.look(self.page)

    @exhaustive
    def test_none_on_a_phone_where_nothing_is_wider_than_the_page(self) -> None:
        page = self.page
        page.set_viewport_size(PHONE)
        self.look(page)
        wide = page.evaluate("() => document.documentElement.scrollWidth - innerWidth")
        self.assertLessEqual(wide, 0)
