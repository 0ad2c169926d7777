"""Machines in the browser: the shelf, calibrating, bags and slots; check, fix and translate."""

from __future__ import annotations

import re
from typing import Any

from playwright.sync_api import Page, expect

from tests.core.machine.test_calibration import valve_rows
from tests.factories import flow, profile, seconds
from tests.marks import more_cases, some_of
from tests.web.pages import LOOKS, WIDE, InBrowser
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.plan.profiles import NewProfile, find_profile, read_history, start_profile
from vapocline.desk.shelf.calibrations import list_calibrations
from vapocline.desk.shelf.coffees import list_coffees
from vapocline.desk.shelf.grinders import list_grinders
from vapocline.desk.shelf.machines import list_machines
from vapocline.desk.shelf.slots import read_slots


class WithMachines(InBrowser):
    speed = 8

    def setUp(self) -> None:
        super().setUp()
        self.on_bench("Sluice Two")

    def machine(self, name: str) -> Any:
        return next(one for one in list_machines(self.app) if one.name == name)

    def on_bench(self, name: str) -> None:
        change_bench(self.app, BenchChange(machine_id=self.machine(name).id))

    def shelf(self, name: str) -> Page:
        page = self.page
        page.goto(f"/shelf/machines/{self.machine(name).id}")
        expect(page.get_by_role("form", name=name)).to_be_visible()
        return page

    def change(self, group: str) -> None:
        """Open a group of fields, which stands as a sentence."""
        self.page.get_by_role("button", name=f"Change: {group}").click()


class OnTheShelf(WithMachines):
    def test_a_machine_is_made_changed_and_taken_off(self) -> None:
        page = self.page
        page.goto("/shelf")
        expect(page.get_by_role("form", name="Gannet")).to_be_visible()
        self.assertEqual(page.get_by_role("list", name="Every machine").locator("li").count(), 8)
        page.get_by_role("link", name="New machine").click()
        expect(page.get_by_role("form", name="New machine")).to_be_visible()
        page.get_by_label("Name", exact=True).fill("Bilge")
        page.get_by_role("button", name="Controls: ").press(" ")
        page.get_by_role("option", name="a spring lever").click()
        page.get_by_role("button", name="Add a second spring").click()
        page.get_by_label("Spring 2, drawn").fill("3")
        page.get_by_role("button", name="Add to the shelf").click()
        expect(page.get_by_role("form", name="Bilge")).to_be_visible()
        self.assertEqual(len(self.machine("Bilge").control.springs), 2)
        self.change("Its program")
        page.get_by_label("Stages, at most").fill("4")
        page.get_by_role("button", name="Save the machine").click()
        expect(page.get_by_text("Saved", exact=True)).to_be_visible()
        expect(page.get_by_role("button", name="Save the machine")).to_be_disabled()
        self.assertEqual(self.machine("Bilge").program.stages, 4)
        page.get_by_role("button", name="Remove from the shelf").click()
        page.get_by_role("button", name="Remove it", exact=True).click()
        expect(page.get_by_role("link", name=re.compile("^Bilge"))).to_have_count(0)

    def test_a_mode_is_added_and_plan_says_which_one_runs_a_profile(self) -> None:
        self.provokes_refusals = True
        page = self.shelf("Low Tide")
        self.change("Modes")
        page.get_by_role("button", name="Add a mode").click()
        page.get_by_label("What is set as above is called").fill("by pressure")
        page.get_by_role("textbox", name="Mode", exact=True).fill("by flow")
        mode = page.get_by_role("group", name="Mode 2")
        mode.get_by_role("button", name="Controls: ").press(" ")
        page.get_by_role("option", name="flow", exact=True).click()
        page.get_by_role("button", name="Save the machine").click()
        expect(page.get_by_text("Saved", exact=True)).to_be_visible()
        self.assertEqual(self.machine("Low Tide").mode_names, ("by pressure", "by flow"))
        self.on_bench("Low Tide")
        pumped = NewProfile(name="Pumped", profile=profile(flow(2.5, None, seconds(25))))
        number = start_profile(self.app, pumped).profile_id
        page.goto(f"/plan/{number}")
        page.get_by_role("button", name="Set to by flow").click()
        expect(page.get_by_role("button", name="Machine: Low Tide, by flow")).to_be_visible()
        expect(page.get_by_role("heading", name="Fits Low Tide")).to_be_visible()
        page.get_by_role("button", name="Machine: Low Tide, by flow").click()
        page.get_by_role("region", name="Mode").get_by_role("button", name="by pressure").click()
        expect(page.get_by_role("heading", name="Does not fit Low Tide")).to_be_visible()
        page.goto(f"/pull/{number}/1")
        armed = page.locator("[data-check=armed]")
        expect(armed).to_contain_text("set it to by flow, which can")

    def test_what_a_roaster_says_is_kept_and_told_in_a_sentence(self) -> None:
        self.provokes_refusals = True
        page = self.page
        coffee = next(one for one in list_coffees(self.app) if one.name == "Night Ferry")
        page.goto(f"/shelf/coffees/{coffee.id}")
        self.change("What the roaster says")
        page.get_by_label("Variety").fill("Heron")
        page.get_by_label("Harvested").fill("2026-04")
        page.get_by_label("Altitude").fill("9000")
        page.get_by_role("button", name="Save the coffee").click()
        expect(page.get_by_text("takes a number from 0 to 4000 m")).to_be_visible()
        page.get_by_label("Altitude").fill("1900")
        page.get_by_role("button", name="Save the coffee").click()
        expect(page.get_by_text("Saved", exact=True)).to_be_visible()
        page.get_by_role("button", name="Close: What the roaster says").click()
        words = "Heron, harvested in April 2026, grown at 1900 m."
        expect(page.get_by_text(words)).to_be_visible()
        kept = next(one for one in list_coffees(self.app) if one.id == coffee.id)
        self.assertEqual((kept.variety, kept.crop, kept.altitude_m), ("Heron", "2026-04", 1900))

    def test_a_picture_that_cannot_be_drawn_says_why_and_the_form_is_there(self) -> None:
        self.provokes_refusals = True
        page = self.page
        gone = {"detail": "The database is away."}
        with self.intercepting(
            page, "**/valve", lambda route: route.fulfill(status=503, json=gone)
        ):
            self.shelf("Tide Mill")
            expect(page.get_by_role("alert")).to_have_text("The database is away.")
            expect(page.get_by_role("button", name="Change: Limits")).to_be_visible()

    def test_an_impossible_machine_is_refused_beside_its_fields_and_nothing_typed_is_lost(
        self,
    ) -> None:
        self.provokes_refusals = True
        page = self.shelf("Low Tide")
        self.change("Limits")
        page.get_by_label("Highest flow").fill("a lot")
        self.change("Its program")
        expect(page.get_by_role("region", name="Limits")).to_contain_text("gives a lot mL/s freely")
        page.get_by_role("textbox", name="Slots").fill("-1")
        page.get_by_role("button", name="Save the machine").click()
        expect(page.get_by_role("alert").first).to_contain_text("got 'a lot'; takes a number")
        expect(page.get_by_label("Highest flow")).to_be_focused()
        expect(page.get_by_label("Highest flow")).to_have_value("a lot")
        expect(page.get_by_role("alert")).to_have_count(1)  # and one in a group that is closed
        self.change("Its program")
        expect(page.get_by_role("alert")).to_have_count(1)
        self.change("Limits")
        page.get_by_role("button", name="Revert").click()
        expect(page.get_by_label("Highest flow")).to_have_value("9")
        page.get_by_label("Feed, 0 for a tank").fill("6")
        page.get_by_label("Relief valve").fill("5")
        page.get_by_role("button", name="Save the machine").click()
        expect(page.get_by_role("alert")).to_contain_text("less than the relief setting of 5 bar")

    def test_where_devices_answer_is_set_on_the_shelf(self) -> None:
        self.provokes_refusals = True
        page = self.page
        page.goto("/shelf")
        page.get_by_role("link", name="Millrace").click()
        expect(page.get_by_role("form", name="Millrace")).to_be_visible()
        form = page.get_by_role("form", name="Connections")
        form.get_by_label("Machine", exact=True).fill("nowhere")
        form.get_by_role("button", name="Save connections").click()
        expect(form.get_by_text("got 'nowhere'; takes host:port")).to_be_visible()
        form.get_by_label("Machine", exact=True).fill("127.0.0.1:1")
        form.get_by_role("button", name="Save connections").click()
        expect(page.get_by_text("No machine responds at 127.0.0.1:1")).to_be_visible()

    def test_a_valve_is_calibrated_with_its_plot_and_a_repeat_tells_of_drift(self) -> None:
        self.provokes_refusals = True  # until there are rows enough
        page = self.shelf("Tide Mill")
        self.measured(page, valve_rows(1))
        expect(page.get_by_role("img", name=re.compile("^free flow, mL"))).to_be_visible()
        expect(page.get_by_text("known to")).to_be_visible()
        page.get_by_role("button", name="Save and use").click()
        standing = page.locator("[data-what=valve]")
        expect(standing).to_contain_text("In use, of")
        strip = page.get_by_role("img", name=re.compile("^Along time.*Valve to free flow, in use"))
        expect(strip).to_be_visible()
        self.measured(page, valve_rows(2, drift_by=1.4))
        expect(page.get_by_text("It has drifted")).to_be_visible()
        page.get_by_role("button", name="Save and use").click()
        expect(page.get_by_role("button", name="Measure again").first).to_be_visible()
        kept = list_calibrations(self.app, "machine", self.machine("Tide Mill").id)
        self.assertEqual([one.in_use for one in kept], [True, False])
        page.get_by_role("button", name="Measure again").first.click()
        page.get_by_role("button", name="Use this one").click()
        oldest = page.get_by_role("list", name="Kept").get_by_role("listitem").last
        expect(oldest).to_contain_text(", in use:")
        kept = list_calibrations(self.app, "machine", self.machine("Tide Mill").id)
        self.assertEqual([one.in_use for one in kept], [False, True])

    def measured(self, page: Page, rows: list[dict[str, float]]) -> None:
        page.locator("[data-what=valve]").get_by_role("button").first.click()
        for number, row in enumerate(rows, 1):
            if number > 4:
                page.get_by_role("button", name="Add a row").click()
            for label, field in (
                ("Position", "turns"), ("Ran for", "seconds"), ("Weighed", "water_g"),
            ):  # fmt: skip
                cell = page.get_by_label(f"{label} {number}", exact=True)
                cell.fill(f"{row[field]:.1f}")
        measuring = page.locator("[data-what=valve] [data-part=measuring]")
        expect(measuring.locator(".fit-plot .point")).to_have_count(len(rows))

    def test_a_falling_flow_is_refused_with_the_reason_and_the_rows_stay(self) -> None:
        self.provokes_refusals = True
        page = self.shelf("Tide Mill")
        page.locator("[data-what=valve]").get_by_role("button").first.click()
        for number, (turns, grams) in enumerate(((0.5, 20), (1, 80), (1.5, 44)), 1):
            page.get_by_label(f"Position {number}", exact=True).fill(str(turns))
            page.get_by_label(f"Ran for {number}", exact=True).fill("20")
            page.get_by_label(f"Weighed {number}", exact=True).fill(str(grams))
        expect(page.get_by_role("alert")).to_contain_text("less than 4.00 at 1")
        expect(page.get_by_label("Weighed 3", exact=True)).to_have_value("44")

    def test_a_new_bag_counts_from_full(self) -> None:
        page = self.page
        coffee = next(one for one in list_coffees(self.app) if one.name == "Ferrow Hill")
        page.goto(f"/shelf/coffees/{coffee.id}")
        expect(page.get_by_text("892 g left").first).to_be_visible()
        page.get_by_label("New bag roasted on").fill("2026-11-20")
        page.get_by_label("New bag size").fill("250")
        page.get_by_role("button", name="Open bag").click()
        expect(page.get_by_text("250 g left").first).to_be_visible()
        expect(page.get_by_text("892 g were left")).to_be_visible()
        self.assertEqual(read_bench(self.app).coffee.bags[0].remaining_g, 250)

    def test_a_basket_a_grinder_and_a_coffee_are_made_and_put_on_the_bench(self) -> None:
        page = self.page
        for kind, name, fields in (
            ("baskets", "Deep", {"From": "20", "To": "24"}),
            (
                "grinders",
                "Mill",
                {"Setting 1": "0", "Size 1": "200", "Setting 2": "9", "Size 2": "400"},
            ),
            ("coffees", "Late", {"Process": "washed", "Bag size": "250"}),
        ):
            page.goto(f"/shelf/{kind}/new")
            page.get_by_label("Name", exact=True).fill(name)
            for label, value in fields.items():
                page.get_by_label(label, exact=True).fill(value)
            page.get_by_role("button", name="Add to the shelf").click()
            expect(page.get_by_role("form", name=name)).to_be_visible()
            page.get_by_role("button", name="Put it on the bench").click()
            expect(page.get_by_text("On the bench", exact=True)).to_be_visible()
        bench = read_bench(self.app)
        names = (bench.basket.name, bench.grinder.name, bench.coffee.name)
        self.assertEqual(names, ("Deep", "Mill", "Late"))
        expect(page.get_by_role("button", name="Basket: Deep")).to_be_visible()
        before = read_bench(self.app).grind_setting
        page.goto("/plan/1")
        page.get_by_role("button", name="Basket: Deep").click()
        page.get_by_role("button", name=re.compile("^Straight 18")).click()
        expect(page.get_by_role("button", name="Basket: Straight 18")).to_be_visible()
        self.assertEqual(read_bench(self.app).grind_setting, before)
        # Back to what the other tests stand on.
        grinder = next(one for one in list_grinders(self.app) if one.name == "Ratline")
        coffee = next(one for one in list_coffees(self.app) if one.name == "Ferrow Hill")
        change_bench(
            self.app,
            BenchChange(grinder_id=grinder.id, coffee_id=coffee.id, grind_setting=14.5),
        )

    def test_storing_over_something_shows_both_and_asks(self) -> None:
        page = self.shelf("Sluice Two")
        machine = self.machine("Sluice Two")
        store = page.get_by_role("region", name="Slots")
        page.get_by_role("button", name="Store it").click()
        expect(store.get_by_role("button", name="Clear it")).to_have_count(1)
        page.get_by_role("button", name="Slot: ").press(" ")
        page.get_by_role("option", name=re.compile("^1, holds")).click()
        page.get_by_role("button", name="Profile to store: ").press(" ")
        page.get_by_role("option", name="Steady nine v1").click()
        page.get_by_role("button", name="Store it").click()
        expect(store.get_by_role("alert")).to_contain_text("would take its place")
        self.assertNotEqual(read_slots(self.app, machine.id).slots[0].profile_name, "Steady nine")
        store.get_by_role("button", name=re.compile("^Overwrite")).click()
        expect(store.get_by_role("listitem").first).to_contain_text("Steady nine v1")
        self.assertEqual(read_slots(self.app, machine.id).slots[0].profile_name, "Steady nine")

    def test_a_dry_run_times_the_stages(self) -> None:
        page = self.shelf("Sluice Two")
        page.get_by_role("link", name="Prepare a dry run").click()
        expect(page.get_by_text("dry run, without coffee")).to_be_visible()
        self.start_the_pump()
        expect(page.get_by_role("button", name="Stop now")).to_be_visible()
        page.get_by_role("button", name=re.compile("^Keep them with Sluice Two")).click()
        rows = page.locator("[data-what=dry-run] tbody tr")
        expect(rows.first).to_be_visible()
        self.assertGreaterEqual(rows.count(), 2)
        expect(page.locator("[data-what=dry-run]")).to_contain_text("of the plan")


class ForAMachine(WithMachines):
    def test_each_misfit_is_fixed_by_one_click_with_its_effect_shown(self) -> None:
        self.provokes_refusals = True
        self.on_bench("Semaphore")
        page = self.page
        page.goto("/plan/4")
        fits = page.get_by_role("region", name="Fits this machine")
        expect(fits.get_by_role("heading")).to_have_text("Does not fit Semaphore")
        expect(page.get_by_text("on a machine that can run it")).to_be_visible()
        expect(page.locator("[data-trace=pressure_bar]").first).to_be_attached()
        expect(fits.get_by_role("button", name="Fix all 5")).to_be_visible()
        expect(fits.get_by_text(re.compile("hold the level .*: .*bar off"))).to_be_visible()
        fits.get_by_role("listitem").filter(has_text="Ramp").get_by_role(
            "button", name="Fix"
        ).click()
        expect(fits.get_by_role("button", name="Fix all 4")).to_be_visible()
        fits.get_by_role("button", name="Fix all 4").click()
        expect(fits.get_by_role("heading")).to_have_text("Fits Semaphore")
        self.settled()
        self.assertGreater(self.number("Shot time"), 10)
        page.keyboard.press("Control+z")
        expect(fits.get_by_role("button", name="Fix all 4")).to_be_visible()

    def test_only_what_the_machine_takes_is_offered_and_the_rest_says_why(self) -> None:
        self.provokes_refusals = True
        self.on_bench("Semaphore")
        page = self.page
        page.goto("/plan/4?phase=2")
        page.get_by_role("button", name="Move: held").press(" ")
        linear = page.get_by_role("option", name=re.compile("^linear|^straight", re.IGNORECASE))
        expect(linear.first).to_be_disabled()
        expect(linear.first).to_contain_text("Semaphore holds one level a stage")
        page.keyboard.press("Escape")
        expect(page.get_by_label("Limit", exact=True)).to_have_count(0)
        page.get_by_role("button", name=re.compile("^Exit: ")).press(" ")
        drip = page.get_by_role("option", name=re.compile("first drip"))
        expect(drip).to_be_disabled()
        page.keyboard.press("Escape")
        page.keyboard.press("c")
        page.get_by_role("button", name="Phase", exact=True).click()
        expect(page.get_by_text("No more phases: Semaphore takes 5")).to_be_visible()

    def test_a_profile_is_translated_by_keys_alone_and_started_on_its_machine(self) -> None:
        self.provokes_refusals = True  # the old profile on the new machine, for a moment
        page = self.page
        page.goto("/plan/4")
        self.settled()
        page.keyboard.press("t")
        dialog = page.get_by_role("dialog")
        page.get_by_role("button", name="Machine to translate for: ").focus()
        page.keyboard.press("Space")
        page.get_by_role("option", name="Low Tide").focus()
        page.keyboard.type("low")
        page.keyboard.press("Enter")
        table = dialog.get_by_role("table")
        expect(dialog.get_by_text(re.compile("On Low Tide it"))).to_be_visible()
        expect(table.get_by_role("row")).to_have_count(5)
        distance = [float(row.get_by_role("cell").last.inner_text()) for row in
                 (table.get_by_role("row").nth(1), table.get_by_role("row").nth(4))]  # fmt: skip
        self.assertLessEqual(distance[0], distance[1])
        page.get_by_label("Name of the translation").focus()
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", name="Quay fall on Low Tide")).to_be_visible()
        expect(page.get_by_role("heading", name="Fits Low Tide")).to_be_visible()
        self.assertEqual(read_bench(self.app).machine.name, "Low Tide")
        found = find_profile(self.app, "Quay fall on Low Tide")
        controls = {
            one.command.control for one in read_history(self.app, found).newest.profile.phases
        }
        self.assertEqual(controls, {"pressure"})

    def test_what_does_not_fit_is_translated_for_the_bench_and_taken_into_the_draft(self) -> None:
        self.provokes_refusals = True
        self.on_bench("Gannet")
        page = self.page
        page.goto("/plan/4")
        page.get_by_role("button", name="Or translate it as closely as possible").click()
        dialog = page.get_by_role("dialog")
        expect(dialog.get_by_text("from a machine that can run it to")).to_be_visible()
        dialog.get_by_role("button", name="Apply to this draft").click()
        expect(page.get_by_role("heading", name="Fits Gannet")).to_be_visible()
        expect(page.get_by_role("heading", name="Quay fall")).to_be_visible()
        page.keyboard.press("Control+z")
        expect(page.get_by_role("heading", name="Does not fit Gannet")).to_be_visible()

    def test_a_search_that_is_stopped_keeps_the_best_so_far(self) -> None:
        page = self.page
        page.goto("/plan/4")
        self.settled()
        page.keyboard.press("t")
        dialog = page.get_by_role("dialog")
        dialog.get_by_role("button", name="weight").click()
        stop = dialog.get_by_role("button", name="Stop here")
        if stop.is_visible() and stop.is_enabled():
            stop.click(timeout=2000)
        expect(dialog.get_by_role("table")).to_be_visible()
        page.keyboard.press("Escape")
        expect(dialog).to_have_count(0)

    def test_cautions_go_with_the_machine_in_plan_in_pull_and_on_paper(self) -> None:
        self.provokes_refusals = True
        self.on_bench("Semaphore")
        for address in ("/pull/1/1", "/print/1/1"):
            self.page.goto(address)
        self.on_bench("Sluice Two")
        for address in ("/plan/1", "/pull/1/1", "/print/1/1"):
            self.page.goto(address)
            care = self.page.get_by_role("region", name="Take care")
            expect(care).to_contain_text("drains hot water whenever its pump stops")
            if address != "/plan/1":  # there the most particular comes first, the others on demand
                expect(care).to_contain_text("Never take the portafilter out under pressure")

    @more_cases
    def test_no_serious_barrier_on_the_shelf_or_in_translating(self) -> None:
        page = self.page
        for scheme, size in some_of(LOOKS, 1):
            self.look(scheme, size)
            self.shelf("Tide Mill")
            page.locator("[data-what=valve]").get_by_role("button").first.click()
            self.assertEqual(self.violations(page), [])
            wide = page.evaluate("() => document.documentElement.scrollWidth - innerWidth")
            self.assertLessEqual(wide, 0)
        page.set_viewport_size(WIDE)
        page.goto("/plan/4")
        self.settled()
        page.keyboard.press("t")
        expect(page.get_by_role("dialog").get_by_role("table")).to_be_visible()
        self.assertEqual(self.violations(page), [])
