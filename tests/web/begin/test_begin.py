"""The first evening: from an empty house by five answers to a shot pulled, read and tasted."""

from __future__ import annotations

import re
from datetime import date, timedelta

from playwright.sync_api import Page, expect

from tests.marks import more_cases, some_of
from tests.web.pages import LOOKS, PHONE, InBrowser
from vapocline.desk.bench.bench import read_bench
from vapocline.desk.plan.profiles import list_profiles
from vapocline.desk.read.shots import list_shots

MOST_KEYS = 40  # besides names


class Beginning(InBrowser):
    sample_world = False

    @classmethod
    def setUpClass(cls) -> None:
        """Each test is the first evening of an installation of its own."""

    def setUp(self) -> None:
        super().setUpClass()
        self.addCleanup(self.doClassCleanups)
        super().setUp()
        self.keys = 0

    def press(self, *keys: str) -> None:
        for key in keys:
            self.page.keyboard.press(key)
            self.keys += 1

    def opened_on(self, part: str, page: Page | None = None) -> None:
        """Wait until a question is open and its forecast there."""
        here = page or self.page
        expect(here.locator(f"[data-editor={part}]")).to_be_visible()
        expect(here.locator("[data-figure='Shot time']")).to_be_visible()

    def width_s(self) -> float:
        """How wide the shot time's range is."""
        words = self.page.locator("[data-figure='Shot time']").inner_text()
        low, high = re.findall(r"(\d+) to (\d+)", words)[0]
        return float(high) - float(low)

    def pull_by_the_clock(self) -> None:
        """A shot of a machine without a wire, by its cues, then read."""
        page = self.page
        expect(page.locator("[data-check=armed][data-state=ask]")).to_be_visible()
        page.keyboard.press("c")
        page.get_by_label("Dose weighed").fill("18.0")
        page.get_by_role("button", name="Start the clock").press("Enter")
        page.wait_for_url("**/pull/shot/*")
        expect(page.locator("[data-event=now]")).to_be_visible()
        page.keyboard.press("d")
        page.keyboard.press("x")
        page.locator("[data-part=armed]").wait_for()
        page.keyboard.press("g")
        page.get_by_label("Weighed drink").fill("34")
        expect(page.locator("[data-figure='Yield'] b")).to_have_text("34.0")
        page.goto("/read")
        expect(page.locator("h1")).to_be_visible()

    def taste(self, points: int) -> None:
        page = self.page
        page.goto("/taste")
        liking = page.get_by_role("radiogroup", name="Liking")
        liking.get_by_role("radio", name=str(points), exact=True).press("Space")
        expect(page.get_by_text("Saved", exact=True)).to_be_visible()
        [shot] = list_shots(self.app)
        self.assertEqual([one.liking for one in shot.tastings], [points])

    def test_by_keyboard_alone_without_a_wire_to_a_tasted_shot(self) -> None:
        page = self.page
        page.goto("/")
        page.wait_for_url("**/begin")
        self.opened_on("machine")
        expect(page.get_by_text(re.compile("^This answer narrows"))).to_be_visible()
        first = self.width_s()
        self.press("ArrowLeft", "ArrowLeft")  # from both to a pressure
        expect(page.get_by_label("a pressure", exact=True)).to_be_checked()
        self.press("Enter")
        self.opened_on("grinder")
        self.press("Tab", "Tab", "Tab")
        expect(page.get_by_label("Espresso near")).to_be_focused()
        self.press("1", "4", "Enter")
        self.opened_on("coffee")
        self.press("ArrowLeft", "Tab")
        page.keyboard.type("Ferrow Hill")
        self.press("Enter")
        self.opened_on("basket")
        self.press("Enter")
        self.opened_on("drink")
        self.press("Enter")
        expect(page.get_by_role("group", name=re.compile("^Begin with one"))).to_be_visible()
        self.assertLess(self.width_s(), 0.85 * first)
        self.assertEqual(list_profiles(self.app), [])
        self.press("Enter")
        page.wait_for_url("**/pull/*/1")
        self.assertLessEqual(self.keys, MOST_KEYS)
        bench = read_bench(self.app)
        assert bench.coffee
        assert bench.grinder
        self.assertEqual((bench.coffee.name, bench.coffee.roast), ("Ferrow Hill", "medium-light"))
        self.assertEqual(bench.grinder.settings, (0, 14, 40))
        self.pull_by_the_clock()
        self.taste(7)

    def test_on_a_phone_over_a_wire_to_a_pulled_shot(self) -> None:
        page = self.page
        page.set_viewport_size(PHONE)
        page.goto("/begin")
        self.opened_on("machine")
        page.get_by_text("over a wire").click()
        expect(page.get_by_text("a simulated machine stands in")).to_be_visible()
        page.get_by_label("Name of the machine").fill("Gantry")
        for _ in range(5):
            page.get_by_role("button", name=re.compile("^Next: ")).click()
        page.get_by_role("button", name="To the first pull").click()
        page.wait_for_url("**/pull/*/1")
        self.start_the_pump()
        expect(page.get_by_role("button", name="Taste this shot")).to_be_visible()
        self.assertEqual(read_bench(self.app).machine.name, "Gantry")

    def test_answers_are_kept_over_a_closed_tab_going_back_and_a_lost_connection(self) -> None:
        page = self.page
        page.goto("/begin")
        self.opened_on("machine")
        page.get_by_label("Name of the machine").fill("Gantry")
        page.keyboard.press("Enter")
        self.opened_on("grinder")
        page.get_by_label("Highest number").fill("60")
        page.keyboard.press("Enter")
        self.opened_on("coffee")
        page.reload()
        self.opened_on("coffee")
        page.keyboard.press("Shift+Enter")
        page.keyboard.press("Shift+Enter")
        self.opened_on("machine")
        expect(page.get_by_label("Name of the machine")).to_have_value("Gantry")
        page.get_by_text("a lever with springs").click()
        page.get_by_role("button", name=re.compile("^Grinder")).click()
        expect(page.get_by_label("Highest number")).to_have_value("60")
        self.provokes_refusals = True
        with self.intercepting(page, "**/api/begin/*", lambda route: route.abort()):
            page.get_by_label("Lowest number").fill("3")
            expect(page.get_by_text("Vapocline is not responding").first).to_be_visible()
        expect(page.get_by_label("Lowest number")).to_have_value("3")
        expect(page.get_by_text("Vapocline is not responding")).to_have_count(0)
        page.get_by_role("button", name="Use the usual for the rest").click()
        page.get_by_role("button", name="Look at it in Plan first").click()
        page.wait_for_url("**/plan/*")
        bench = read_bench(self.app)
        assert bench.grinder
        self.assertEqual(
            (bench.machine.name, bench.machine.control.kind), ("Gantry", "spring-lever")
        )
        self.assertEqual((bench.grinder.settings[0], bench.grinder.settings[-1]), (3, 60))
        self.assertIsNone(bench.coffee)

    def test_what_cannot_be_is_said_where_it_was_typed_and_kept(self) -> None:
        self.provokes_refusals = True
        page = self.page
        page.goto("/begin")
        self.opened_on("machine")
        relief = page.get_by_label("Relief valve")
        relief.fill("soon")
        expect(page.get_by_text("takes a number from 1 to 15 bar")).to_be_visible()
        page.keyboard.press("Enter")
        expect(relief).to_be_focused()
        expect(relief).to_have_value("soon")
        relief.fill("")
        expect(page.get_by_text("takes a number from 1 to 15 bar")).to_have_count(0)
        page.get_by_label("Name of the machine").fill("M" * 61)
        expect(page.get_by_text(re.compile("at most 60 characters"))).to_be_visible()
        page.get_by_label("Name of the machine").fill("M" * 60)
        page.keyboard.press("Enter")
        self.opened_on("grinder")
        page.get_by_label("Espresso near").fill("70")
        expect(page.get_by_text("takes a number from 0 to 40, as on the dial")).to_be_visible()
        page.get_by_label("Espresso near").fill("9")
        page.get_by_label("finer", exact=True).check(force=True)
        page.keyboard.press("Enter")
        self.opened_on("coffee")
        to_come = date.today() + timedelta(days=30)
        page.get_by_label("Roasted on").fill(to_come.isoformat())
        expect(page.get_by_text("0 days ago")).to_be_visible()

    def test_another_bench_is_set_up_and_one_goes_from_one_to_the_other(self) -> None:
        page = self.page
        for name in ("First", "Second"):
            page.goto("/begin")
            self.opened_on("machine")
            title = "Your bench" if name == "First" else "Another bench"
            expect(page.get_by_role("heading", name=title)).to_be_visible()
            page.get_by_label("Name of the machine").fill(name)
            page.get_by_role("button", name="Use the usual for the rest").click()
            page.get_by_role("button", name="Look at it in Plan first").click()
            page.wait_for_url("**/plan/*")
            expect(page.get_by_role("button", name=f"Machine: {name}")).to_be_visible()
        page.get_by_role("button", name="Bench: Bench", exact=True).click()
        page.get_by_role("option", name="Bench 1").click()
        expect(page.get_by_role("button", name="Machine: First")).to_be_visible()

    @more_cases
    def test_nothing_bars_the_way_in_any_look(self) -> None:
        page = self.page
        for scheme, size in some_of(LOOKS, 1):
            with self.subTest(scheme=scheme, size=size):
                self.look(scheme, size)
                page.goto("/begin")
                self.opened_on("machine")
                for part in ("grinder", "coffee", "basket", "drink"):
                    self.assertEqual(self.violations(page), [])
                    page.get_by_role("button", name=re.compile("^Next: ")).click()
                    self.opened_on(part)
                page.get_by_role("button", name=re.compile("^Next: ")).click()
                expect(page.get_by_role("group", name=re.compile("^Begin with"))).to_be_visible()
                self.assertEqual(self.violations(page), [])
                page.evaluate("() => localStorage.clear()")
