"""The shelf's pictures in the browser: asked, dragged, and what they open."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.core.machine.test_calibration import MEASURED, valve_rows
from tests.marks import more_cases, some_of
from tests.web.pages import LOOKS, PHONE
from tests.web.shelf.test_machines import WithMachines
from vapocline.desk.bench.bench import read_bench
from vapocline.desk.shelf.calibrations import Measurement, keep
from vapocline.desk.shelf.coffees import list_coffees
from vapocline.desk.shelf.grinders import list_grinders


class Pictures(WithMachines):
    def test_a_machine_opens_with_what_its_kind_is_about(self) -> None:
        page = self.page
        for name, region, drawn in (
            ("Gannet", "Its stroke", "^Pressure over the stroke: both springs"),
            ("Oarlock", "Force and pressure", "^Pressure by force"),
            ("Tide Mill", "Its valve", "^Free flow by turns"),
            ("Sluice Two", "Its reach", "^Pressure over flow"),
        ):
            with self.subTest(name):
                self.shelf(name)
                picture = page.get_by_role("region", name=region)
                expect(picture.get_by_role("img", name=re.compile(drawn))).to_be_visible()
        self.shelf("Semaphore")
        rows = page.get_by_role("table", name="The empty list of stages").get_by_role("row")
        expect(rows).to_have_count(6)

    def test_a_lever_shows_nothing_of_a_pump(self) -> None:
        page = self.shelf("Gannet")
        self.change("Limits")
        expect(page.get_by_label("Relief valve")).to_be_visible()
        expect(page.get_by_label("Pump stalls at")).to_have_count(0)
        expect(page.get_by_label("Highest flow")).to_have_count(0)
        expect(page.get_by_role("region", name="Before any program")).to_have_count(0)

    def test_a_valve_is_asked_both_ways(self) -> None:
        self.provokes_refusals = True  # beyond its positions
        page = self.shelf("Tide Mill")
        valve = page.get_by_role("region", name="Its valve")
        turns, flow = valve.get_by_label("Position, turns"), valve.get_by_label("Free flow, mL/s")
        turns.fill("2")
        expect(flow).to_have_value("6.1")
        expect(valve.get_by_role("status")).to_contain_text("weighs 183 g")
        flow.fill("2.4")
        expect(turns).to_have_value("1")
        turns.fill("12")
        expect(valve.get_by_role("alert")).to_contain_text("0 to 3 turns")
        rows = MEASURED.validate_python({"what": "valve", "rows": valve_rows(5)})
        keep(self.app, "machine", self.machine("Tide Mill").id, Measurement(measured=rows))
        page.reload()
        expect(valve.get_by_role("status")).to_contain_text("±")
        page.locator("[data-what=valve]").get_by_role("button").first.click()
        plots = page.get_by_role("list", name="Kept")
        expect(plots.get_by_role("img", name=re.compile("^free flow"))).to_be_visible()
        plots.get_by_role("button", name=re.compile("^Plot of")).first.click()
        expect(plots.get_by_role("img")).to_have_count(0)

    def test_a_grinders_point_is_dragged_or_moved_by_keys_and_then_saved(self) -> None:
        page = self.page
        grinder = next(one for one in list_grinders(self.app) if one.name == "Windlass")
        page.goto(f"/shelf/grinders/{grinder.id}")
        point = page.get_by_role("slider").nth(1)
        before = float(point.get_attribute("aria-valuenow") or 0)
        point.press("ArrowUp")
        expect(point).to_have_attribute("aria-valuenow", f"{before + 5:g}")
        box = point.locator("rect").bounding_box()
        assert box
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x, y - 8, steps=4)
        page.mouse.up()
        dragged = float(point.get_attribute("aria-valuenow") or 0)
        self.assertGreater(dragged, before + 5)
        expect(page.get_by_text("nothing is saved yet")).to_be_visible()
        page.get_by_role("button", name="Save the grinder").click()
        expect(page.get_by_text("Saved", exact=True)).to_be_visible()
        stored = next(one for one in list_grinders(self.app) if one.id == grinder.id)
        self.assertEqual(stored.grind_um[1], dragged)
        self.assertEqual(stored.settings, grinder.settings)

    def test_a_point_typed_last_goes_where_it_belongs_and_one_that_turns_is_named(self) -> None:
        self.provokes_refusals = True
        page = self.page
        grinder = next(one for one in list_grinders(self.app) if one.name == "Windlass")
        page.goto(f"/shelf/grinders/{grinder.id}")
        self.change("Its points")
        table = page.get_by_role("table", name="Points")
        page.get_by_role("button", name="Add a point").click()
        last = len(grinder.settings) + 1
        between = (grinder.settings[0] + grinder.settings[1]) / 2
        table.get_by_label(f"Setting {last}", exact=True).fill(f"{between:g}")
        table.get_by_label(f"Size {last}", exact=True).fill("700")
        page.get_by_role("button", name="Save the grinder").focus()
        expect(table.get_by_label("Setting 2", exact=True)).to_have_value(f"{between:g}")
        page.get_by_role("button", name="Save the grinder").click()
        expect(table.get_by_role("alert")).to_contain_text("more than 700: sizes that only rise")
        size = (grinder.grind_um[0] + grinder.grind_um[1]) / 2
        table.get_by_label("Size 2", exact=True).fill(f"{size:g}")
        page.get_by_role("button", name="Save the grinder").click()
        expect(page.get_by_text("Saved", exact=True)).to_be_visible()
        stored = next(one for one in list_grinders(self.app) if one.id == grinder.id)
        self.assertEqual(stored.settings[:3], (grinder.settings[0], between, grinder.settings[1]))
        table.get_by_role("button", name="Remove point 2").click()
        page.get_by_role("button", name="Save the grinder").click()
        expect(table.get_by_role("row")).to_have_count(last)

    def test_a_coffees_shot_is_opened_from_its_line_of_days(self) -> None:
        page = self.page
        coffee = next(one for one in list_coffees(self.app) if one.name == "Ferrow Hill")
        page.goto(f"/shelf/coffees/{coffee.id}")
        days = page.get_by_role("region", name="Its days")
        marks = days.get_by_role("link")
        expect(marks).to_have_count(6)
        left = int((coffee.bags[0].remaining_g or 0) / read_bench(self.app).dose_g)
        expect(days).to_contain_text(f"{left} shots at the bench’s dose")
        self.change("The bag in use")
        page.get_by_label("Price of the bag").fill("36")
        page.get_by_role("button", name="Save the coffee").click()
        expect(days).to_contain_text("A shot costs 0.65 in coffee")
        marks.first.press("Enter")
        page.wait_for_url("**/read/*")

    def test_a_water_is_made_from_a_recipe_and_put_on_the_bench(self) -> None:
        self.provokes_refusals = True
        page = self.page
        page.goto("/shelf/waters")
        page.wait_for_url("**/shelf/waters/new")
        page.get_by_label("Name", exact=True).fill("Quay recipe")
        page.get_by_label("Hardness, as CaCO₃").fill("lots")
        page.get_by_role("button", name="Add to the shelf").click()
        expect(page.get_by_role("alert")).to_contain_text("got 'lots'; takes a number from 0")
        page.get_by_role("button", name="From a recipe of salts").click()
        page.get_by_label(re.compile("^Magnesium sulfate")).fill("500")
        page.get_by_label(re.compile("^Sodium bicarbonate")).fill("84")
        page.get_by_role("button", name="Add to the shelf").click()
        picture = page.get_by_role("region", name="Minerals")
        expect(picture).to_contain_text("Hardness 203 mg/L as CaCO₃: 11.4 °dH, 20.3 °fH")
        expect(picture).to_contain_text("may leave scale in the boiler")
        page.get_by_role("button", name="Put it on the bench").click()
        expect(page.get_by_text("On the bench", exact=True)).to_be_visible()
        water = read_bench(self.app).water
        assert water
        self.assertEqual(water.name, "Quay recipe")

    def test_a_preparation_is_drawn_as_it_is_answered_and_put_on_the_bench(self) -> None:
        self.provokes_refusals = True
        page = self.page
        page.goto("/shelf/preparations")
        page.wait_for_url("**/shelf/preparations/new")
        picture = page.get_by_role("region", name="As answered below")
        expect(picture).to_contain_text("a heap")
        page.get_by_label("Leveller below the rim").fill("lots")
        page.get_by_role("button", name="Add to the shelf").click()
        expect(page.get_by_role("alert").first).to_be_visible()
        page.get_by_label("Name", exact=True).fill("Levelled")
        page.get_by_label("Leveller below the rim").fill("9")
        page.get_by_label("Beans sprayed before grinding").check()
        expect(picture).to_contain_text("9 mm")
        expect(picture).to_contain_text("sprayed before grinding")
        page.get_by_role("button", name="Add to the shelf").click()
        page.wait_for_url(re.compile(r"/shelf/preparations/\d+$"))
        expect(page.get_by_text("No shot was prepared so yet.")).to_be_visible()
        page.get_by_role("button", name="Put it on the bench").click()
        expect(page.get_by_text("On the bench", exact=True)).to_be_visible()
        kept = read_bench(self.app).preparation
        assert kept
        self.assertEqual(kept.steps, "sprayed, leveller at 9 mm, tamped")

    def test_a_phones_tabs_stand_in_one_line(self) -> None:
        page = self.page
        page.set_viewport_size(PHONE)
        self.shelf("Gannet")
        tabs = page.get_by_role("navigation", name="Shelf").get_by_role("link")
        tops = {round(box["y"]) for one in tabs.all() if (box := one.bounding_box())}
        heights = [box["height"] for one in tabs.all() if (box := one.bounding_box())]
        self.assertEqual(len(tops), 1)
        self.assertLess(max(heights), 40)
        wide = page.evaluate("() => document.documentElement.scrollWidth - innerWidth")
        self.assertLessEqual(wide, 0)

    @more_cases
    def test_no_serious_barrier_in_any_picture(self) -> None:
        page = self.page
        coffee = list_coffees(self.app)[0].id
        grinder = list_grinders(self.app)[0].id
        for scheme, size in some_of(LOOKS, 1):
            self.look(scheme, size)
            for name in ("Gannet", "Oarlock", "Semaphore"):
                self.shelf(name)
                self.assertEqual(self.violations(page), [])
            for address in (f"/shelf/coffees/{coffee}", f"/shelf/grinders/{grinder}"):
                page.goto(address)
                expect(page.locator(".fit-plot svg")).to_be_visible()
                self.assertEqual(self.violations(page), [])
