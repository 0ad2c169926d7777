"""What can be checked of the look: sizes, room, contrast of themes, nothing cut on a phone."""

from __future__ import annotations

from playwright.sync_api import expect

from tests.marks import more_cases, some_of
from tests.web.pages import PHONE, WIDE, InBrowser

VIEWS = ("/plan/4", "/pull/4/3", "/read/5", "/taste/5", "/taste/4/with/5")
PAGES = (*VIEWS, "/next", "/trail", "/shelf/coffees/1", "/shelf/machines/1")
SMALLEST = """() => {
    const small = [];
    for (const at of document.querySelectorAll('body *')) {
        const own = [...at.childNodes].some((n) => n.nodeType === 3 && n.textContent.trim());
        if (own && at.checkVisibility() && parseFloat(getComputedStyle(at).fontSize) < 12)
            small.push(at.textContent.slice(0, 30));
    }
    return small;
}"""
SIDEWAYS = "() => document.documentElement.scrollWidth - document.documentElement.clientWidth"
OVERLAPS = """() => {
    const boxes = [...document.querySelectorAll('svg.chart text.label')].map((at) => [
        at.textContent, at.getBoundingClientRect()]);
    const found = [];
    for (const [i, [a, p]] of boxes.entries()) for (const [b, q] of boxes.slice(i + 1)) {
        const wide = Math.min(p.right, q.right) - Math.max(p.left, q.left);
        const high = Math.min(p.bottom, q.bottom) - Math.max(p.top, q.top);
        if (wide > 1 && high > 4) found.push([a, b]);
    }
    return found;
}"""


SHIFTED = """() => {
    const seen = new PerformanceObserver(() => {});
    seen.observe({ type: 'layout-shift', buffered: true });
    return seen.takeRecords().reduce((sum, one) => sum + one.value, 0);
}"""
MOST_SHIFTED = 0.1  # cumulative layout shift: up to here it counts as good


class Look(InBrowser):
    @more_cases
    def test_what_is_drawn_first_stays_in_place_while_the_rest_comes(self) -> None:
        page = self.page
        page.goto("/plan/4")
        self.settled()
        page.evaluate("document.querySelector('h1').style.paddingTop = '300px'")
        page.wait_for_function(f"({SHIFTED})() > {MOST_SHIFTED}")  # it can be seen
        for path in some_of(
            (*VIEWS, "/next", "/trail", "/shelf/coffees/1", "/shelf/machines/1"), 3
        ):
            with self.subTest(path):
                page.goto(path)
                expect(page.locator("h1")).to_be_visible()
                page.wait_for_load_state("networkidle")
                self.assertLess(page.evaluate(SHIFTED), MOST_SHIFTED)

    @more_cases
    def test_no_text_is_under_twelve_pixels_and_no_page_scrolls_sideways(self) -> None:
        for size in some_of((WIDE, PHONE), 1):
            page = self.page
            page.set_viewport_size(size)
            for path in VIEWS:
                with self.subTest(path, width=size["width"]):
                    page.goto(path)
                    expect(page.locator("h1")).to_be_visible()
                    page.wait_for_load_state("networkidle")
                    self.assertEqual(page.evaluate(SMALLEST), [])
                    self.assertLessEqual(page.evaluate(SIDEWAYS), 0)

    @more_cases
    def test_labels_on_the_charts_never_cover_each_other(self) -> None:
        for size in some_of((WIDE, PHONE), 1):
            page = self.page
            page.set_viewport_size(size)
            for path in (*VIEWS[:3], VIEWS[4], "/plan/1", "/plan/2", "/plan/3"):
                with self.subTest(path, width=size["width"]):
                    page.goto(path)
                    page.locator("svg.chart text.label").first.wait_for()
                    self.assertEqual(page.evaluate(OVERLAPS), [])

    def test_the_curve_is_the_largest_thing_on_plan(self) -> None:
        page = self.page
        page.goto("/plan/4")
        self.settled()
        box = page.locator("svg.chart").first.bounding_box()
        assert box
        self.assertGreater(box["width"] * box["height"], 0.28 * 1280 * 800)
        hidden = page.locator("[data-part='plan-main']").evaluate(
            "(at) => at.scrollHeight - at.clientHeight"
        )
        self.assertLessEqual(hidden, 1, "the whole task without scrolling at 1280 by 800")

    def test_dark_follows_the_system_and_a_choice_is_kept(self) -> None:
        page = self.page
        page.emulate_media(color_scheme="dark")
        page.goto("/plan/4")
        paper = "() => getComputedStyle(document.body).backgroundColor"
        expect(page.locator("h1")).to_be_visible()
        self.assertEqual(page.evaluate(paper), "rgb(16, 25, 23)")
        page.keyboard.press("l")
        self.assertEqual(page.evaluate(paper), "rgb(244, 246, 244)")
        page.reload()
        expect(page.locator("h1")).to_be_visible()
        self.assertEqual(page.evaluate(paper), "rgb(244, 246, 244)")

    def test_a_long_name_is_shortened_without_pushing_anything_aside(self) -> None:
        page = self.page
        page.goto("/plan/4")
        self.settled()
        page.get_by_role("button", name="Name and note").click()
        page.get_by_label("Profile's name").fill(
            "The very long name of a profile that somebody was fond of"
        )
        page.keyboard.press("Escape")
        self.assertLessEqual(page.evaluate(SIDEWAYS), 0)
        expect(page.get_by_role("button", name="Save as v4", exact=True)).to_be_in_viewport()
