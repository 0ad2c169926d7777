"""What happens elsewhere while one types: nobody's words are lost, on the page or in the store."""

from __future__ import annotations

import re
import threading
from unittest.mock import patch

import httpx
from playwright.sync_api import APIResponse, Route, expect

from tests.parts import wait_for
from tests.web.shelf.test_machines import WithMachines
from vapocline.core.machine.machine import Machine
from vapocline.core.plan.translate.translation import ProgressCallback, Translation, Wish
from vapocline.core.puck.plan import Plan
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.plan import translation
from vapocline.desk.read.shots import read_shot
from vapocline.desk.shelf.baskets import list_baskets
from vapocline.desk.shelf.coffees import list_coffees
from vapocline.desk.shelf.machines import change_machine, plain_machine

translate = translation.translate


def until_stopped(
    source: Plan, machine: Machine, wish: Wish, watch: ProgressCallback
) -> Translation:
    """A search that goes on for Low Tide until it is stopped."""
    found, pause = translate(source, machine, wish), threading.Event()
    while machine.name == "Low Tide" and watch(0.5, found.profile, found.difference.distance):
        pause.wait(0.05)
    return found


class Meanwhile(WithMachines):
    def changed_elsewhere(self, name: str, **update: object) -> None:
        one = self.machine(name)
        change_machine(
            self.app, one.id, Machine.model_validate(plain_machine(one).written() | update)
        )

    def test_a_machine_saved_elsewhere_is_shown_beside_what_is_typed_and_not_overwritten(
        self,
    ) -> None:
        self.provokes_refusals = True
        page = self.shelf("Sluice Two")
        self.change("The machine")
        page.get_by_label("Note").fill("ours")
        page.wait_for_load_state("networkidle")  # a late first reading would show theirs already
        self.changed_elsewhere("Sluice Two", note="theirs", relief_bar=10.5)
        page.get_by_role("button", name="Save the machine").click()
        said = page.locator("[data-part=elsewhere]")
        expect(said).to_contain_text("Note is “theirs” there and “ours” here")
        expect(page.get_by_role("region", name="Limits")).to_contain_text("opens at 10.5 bar")
        expect(page.get_by_label("Note")).to_have_value("ours")
        self.assertEqual(self.machine("Sluice Two").note, "theirs")
        page.get_by_role("button", name="Save the machine").click()
        expect(page.get_by_text("Saved", exact=True)).to_be_visible()
        expect(said).to_have_count(0)
        stored = self.machine("Sluice Two")
        self.assertEqual((stored.note, stored.relief_bar), ("ours", 10.5))

    def test_every_other_page_of_the_shelf_shows_both_too(self) -> None:
        self.provokes_refusals = True
        page = self.page
        for kind in ("coffees", "grinders", "baskets"):
            with self.subTest(kind):
                thing = httpx.get(f"{self.address}/api/{kind}").json()[0]
                page.goto(f"/shelf/{kind}/{thing['id']}")
                self.change(f"The {kind.removesuffix('s')}")
                page.get_by_label("Note").fill("ours")
                theirs = thing | {"note": f"theirs of the {kind}"}
                path = f"{self.address}/api/{kind}/{thing['id']}"
                self.assertEqual(httpx.put(path, json=theirs).status_code, 200)
                page.get_by_role("button", name=re.compile("^Save the")).click()
                said = page.locator("[data-part=elsewhere]")
                expect(said).to_contain_text(f"“theirs of the {kind}” there and “ours” here")
                stored = httpx.get(f"{self.address}/api/{kind}").json()[0]
                self.assertEqual(stored["note"], theirs["note"])
                page.get_by_role("button", name="Revert").click()
                expect(page.get_by_label("Note")).to_have_value(theirs["note"])

    def test_a_calibration_kept_while_a_form_is_changed_stays(self) -> None:
        self.provokes_refusals = True  # of rows that are not complete yet
        page = self.shelf("Low Tide")
        self.change("The machine")
        page.get_by_label("Note").fill("typed")
        expect(page.get_by_role("button", name="Revert")).to_be_visible()
        drips = page.locator("[data-what=after-drip]")
        drips.get_by_role("button", name="Measure").click()

        def hold(_route: Route) -> None:
            """What is typed is saved whether its fit has been shown or not."""

        with self.intercepting(page, "**/fit", hold):
            for row, settled in enumerate(("35.4", "35.6", "35.5"), 1):
                drips.get_by_label(f"At the stop {row}").fill("34")
                drips.get_by_label(f"Settled {row}").fill(settled)
            drips.get_by_role("button", name="Save and use").click()
            path = page.get_by_role("region", name="Water path")
            expect(path).to_contain_text("After a stop 1.5 g drips")
        page.get_by_role("button", name="Save the machine").click()
        expect(page.get_by_text("Saved", exact=True)).to_be_visible()
        stored = self.machine("Low Tide")
        self.assertEqual((stored.note, stored.after_drip_g), ("typed", 1.5))

    def test_a_number_typed_on_the_bench_ends_as_typed_however_slow_the_server_is(self) -> None:
        self.provokes_refusals = True  # of the "1" that it begins with
        page = self.page
        page.goto("/plan/1")
        self.settled()
        sent: list[dict[str, float]] = []
        held: list[Route] = []

        def patch(route: Route) -> None:
            if route.request.method != "PATCH":
                return route.continue_()
            sent.append(route.request.post_data_json)
            return held.append(route) if len(sent) == 1 else route.continue_()

        with self.intercepting(page, "**/api/bench", patch):
            page.get_by_role("button", name=re.compile("^Dose:")).click()
            field = page.get_by_role("textbox", name="Dose", exact=True)
            field.fill("")
            field.press_sequentially("17.25")
            wait_for(lambda: page.evaluate("1") and held, "the first change to be on its way")
            held[0].continue_()
            expect(page.get_by_role("button", name="Dose: 17.3 g")).to_be_visible()
            self.assertEqual(sent[-1]["dose_g"], 17.25)
            self.assertEqual(len(sent), 2, "what was typed over while it waited is not sent")
            self.assertEqual(read_bench(self.app).dose_g, 17.25)

    def test_a_reading_of_the_bench_from_before_a_change_does_not_cover_it(self) -> None:
        page = self.page
        before = read_bench(self.app).basket
        other = next(one for one in list_baskets(self.app) if before and one.id != before.id)
        self.addCleanup(change_bench, self.app, BenchChange(basket_id=before and before.id))
        page.goto("/shelf/baskets")
        expect(page.get_by_role("button", name=f"Basket: {before and before.name}")).to_be_visible()
        held: list[tuple[Route, APIResponse]] = []

        def answer_late(route: Route) -> None:
            if route.request.method == "GET" and not held:
                held.append((route, route.fetch()))
            else:
                route.continue_()

        with self.intercepting(page, "**/api/bench", answer_late):
            page.get_by_role("link", name=re.compile(f"^{other.name}")).click()
            wait_for(lambda: page.evaluate("1") and held, "the bench to be read")
            page.get_by_role("button", name="Put it on the bench").click()
            expect(page.get_by_text("On the bench", exact=True)).to_be_visible()
            [(route, answer)] = held
            route.fulfill(response=answer)
            expect(page.get_by_role("button", name=f"Basket: {other.name}")).to_be_visible()
            page.wait_for_load_state("networkidle")
            expect(page.get_by_text("On the bench", exact=True)).to_be_visible()

    def test_a_word_changed_elsewhere_is_said_and_shown(self) -> None:
        self.provokes_refusals = True
        page = self.page
        page.goto("/plan/1")
        self.settled()
        page.get_by_role("button", name=re.compile("^Water:")).click()
        field = page.get_by_role("textbox", name="Water", exact=True)
        expect(field).to_be_visible()
        change_bench(self.app, BenchChange(water_c=88))
        field.fill("91")
        expect(page.get_by_role("alert")).to_contain_text("it is 88 now")
        expect(page.get_by_role("button", name="Water: 88 °C")).to_be_visible()
        field.fill("92")
        expect(page.get_by_role("button", name="Water: 92 °C")).to_be_visible()
        self.assertEqual(read_bench(self.app).water_c, 92)

    def test_what_was_made_sure_of_is_asked_again_with_another_coffee(self) -> None:
        page = self.page
        page.goto("/pull/4/3")
        page.get_by_label("The basket is wiped dry").check()
        page.get_by_label("Dose weighed").fill("18.1")
        other = next(one for one in list_coffees(self.app) if one.name != "Ferrow Hill")
        before = read_bench(self.app).coffee
        assert before
        page.get_by_role("button", name=re.compile("^Coffee:")).click()
        page.get_by_role("button", name=re.compile(f"^{other.name}")).click()
        expect(page.get_by_role("button", name=f"Coffee: {other.name}")).to_be_visible()
        self.addCleanup(change_bench, self.app, BenchChange(coffee_id=before.id))
        expect(page.get_by_label("The basket is wiped dry")).not_to_be_checked()
        expect(page.get_by_label("Dose weighed")).to_have_value("")

    def test_a_strength_is_typed_without_losing_the_field(self) -> None:
        page = self.page
        page.goto("/pull/shot/2")
        field = page.get_by_label("Measured strength")
        expect(field).to_be_visible()
        field.evaluate("one => { one.dataset.first = 'yes' }")
        field.fill("")
        field.press_sequentially("8.75", delay=30)
        expect(self.figure("Extraction (EY)")).to_be_visible()
        expect(field).to_be_focused()
        expect(field).to_have_attribute("data-first", "yes")
        expect(field).to_have_value("8.75")
        wait_for(lambda: read_shot(self.app, 2).tds_pct == 8.75, "the last that was typed")

    def test_a_translation_that_comes_late_is_not_offered_for_another_machine(self) -> None:
        self.enterContext(patch.object(translation, "translate", until_stopped))
        page = self.page
        page.goto("/plan/4")
        self.settled()
        held: list[Route] = []

        def hold(route: Route) -> None:
            held.append(route)

        self.enterContext(self.intercepting(page, "**/api/translations/compared", hold))
        page.keyboard.press("t")
        dialog = page.get_by_role("dialog")
        choice = page.get_by_role("button", name="Machine to translate for: ")
        choice.press(" ")
        page.get_by_role("option", name="Low Tide").click()
        stop = dialog.get_by_role("button", name="Stop here")
        expect(stop).to_be_enabled()
        stop.click()
        wait_for(lambda: page.evaluate("1") and held, "the search to be ended")
        choice.press(" ")
        page.get_by_role("option", name="Millrace").click()
        for route in held:
            route.continue_()
        expect(dialog.get_by_text(re.compile("On Millrace it"))).to_be_visible()
        expect(dialog.get_by_text(re.compile("On Low Tide it"))).to_have_count(0)

    def test_a_shift_goes_below_nothing_by_the_arrows(self) -> None:
        page = self.page
        page.goto("/tidy/1")
        field = page.get_by_label("Level shift")
        field.press("ArrowDown")
        expect(field).to_have_value("-0.1")
