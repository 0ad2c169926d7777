"""Take the pictures in docs/screenshots anew: ./vapo screenshots. Sample world only."""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import Page, expect, sync_playwright

from tests.parts import desk_on_fresh_database, sample_world, served
from tests.web.pages import CHROMIUM, FLAGS, PHONE, WIDE
from vapocline.desk.bench import BenchChange, change_bench
from vapocline.desk.context import Desk
from vapocline.desk.shelf import list_machines

FOLDER = Path(__file__).parents[2] / "docs" / "screenshots"


def main() -> None:
    """One picture of each main view."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    with desk_on_fresh_database(speed=1, seed=11, template=sample_world()) as desk:
        url = desk.engine.url.render_as_string(hide_password=False)
        with served(desk, url) as address, sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
            wide = browser.new_page(viewport=WIDE, base_url=address)
            plan(wide, "plan")
            shaping(wide)
            compare(wide)
            taste(wide)
            pull(wide)
            on_the_shelf(wide)
            translated(wide, desk)
            dark = browser.new_page(viewport=WIDE, base_url=address, color_scheme="dark")
            plan(dark, "plan-dark")
            phone = browser.new_page(viewport=PHONE, base_url=address)
            plan(phone, "plan-phone")
            phone.goto("/taste/5")
            expect(phone.get_by_role("radiogroup", name="Liking")).to_be_visible()
            kept(phone, "taste-phone")
            browser.close()


def plan(page: Page, name: str) -> None:
    """A draft over its saved version, with a limit that binds."""
    page.goto("/plan/4?phase=2")
    page.locator("[aria-label=Forecast][aria-busy=false]").wait_for()
    page.get_by_label("Level", exact=True).fill("9.4")
    expect(page.get_by_text("Since v3:")).to_be_visible()
    page.locator("[data-trace=ghost]").wait_for()
    page.locator("[data-trace=range]").wait_for()
    page.locator("h1").click()
    kept(page, name)


def shaping(page: Page) -> None:
    """A what-if under the curves, a style fitted to the bench, and two versions compared."""
    page.get_by_role("tab", name="What if").click()
    expect(page.locator("[data-variant=finer]")).to_be_visible()
    kept(page, "what-if")
    page.get_by_role("tab", name="Phase").click()
    for button, name in (("Start from a style", "styles"), ("Versions", "versions")):
        page.get_by_role("button", name=button, exact=True).click()
        dialog = page.get_by_role("dialog")
        if name == "styles":
            dialog.get_by_role("button", name="Hard start, falling").click()
            expect(dialog.get_by_text("Fitted:")).to_be_visible()
        expect(dialog.get_by_role("img").first).to_be_visible()
        kept(page, name)
        page.keyboard.press("Escape")
        expect(dialog).to_have_count(0)


def compare(page: Page) -> None:
    page.goto("/taste/1/with/5")
    expect(page.get_by_text("was liked more")).to_be_visible()
    kept(page, "compare")


def taste(page: Page) -> None:
    page.goto("/taste/5")
    expect(page.get_by_role("radiogroup", name="Liking")).to_be_visible()
    kept(page, "taste")


def pull(page: Page) -> None:
    """Before, in mid shot, and after."""
    page.goto("/pull/4/3")
    expect(page.get_by_role("button", name="Start the pump")).to_be_enabled()
    kept(page, "pull-before")
    page.get_by_role("button", name="Start the pump").click()
    page.wait_for_url("**/pull/shot/*")
    page.locator("[data-reading]").first.wait_for()
    reading = "[data-reading='In the cup'] b"
    page.wait_for_function(
        "at => parseFloat(document.querySelector(at).innerText) > 14", arg=reading, timeout=90_000
    )
    kept(page, "pull-live")
    page.get_by_role("button", name="Taste this shot").wait_for(timeout=90_000)
    kept(page, "pull-after")


def on_the_shelf(page: Page) -> None:
    """A machine, and its valve as it is calibrated."""
    page.goto("/shelf")
    page.get_by_role("link", name="Tide Mill").click()
    expect(page.get_by_role("form", name="Tide Mill")).to_be_visible()
    kept(page, "shelf")
    page.locator("[data-what=valve]").get_by_role("button").first.click()
    runs = ((0.5, 18), (1, 47), (1.5, 85), (2, 123), (2.5, 96), (3, 158))
    for number, (turns, grams) in enumerate(runs, 1):
        if number > 4:
            page.get_by_role("button", name="One more row").click()
        for label, value in (("Position", turns), ("Ran for", 20), ("Weighed", grams)):
            page.get_by_label(f"{label} {number}", exact=True).fill(f"{value:g}")
    expect(page.get_by_text("Left out")).to_be_visible()
    page.locator("section[aria-label=Calibrations]").scroll_into_view_if_needed()
    kept(page, "calibrate")


def translated(page: Page, desk: Desk) -> None:
    """A profile on a lever, and what of it a machine of fixed stages cannot take."""
    machines = {one.name: one.id for one in list_machines(desk)}
    page.goto("/plan/4")
    page.locator("[aria-label=Forecast][aria-busy=false]").wait_for()
    page.keyboard.press("t")
    expect(page.get_by_role("dialog").get_by_role("table")).to_be_visible()
    kept(page, "translate")
    page.keyboard.press("Escape")
    change_bench(desk, BenchChange(machine_id=machines["Semaphore"]))
    page.reload()
    expect(page.get_by_text(re.compile("hold the level .*: .*bar off"))).to_be_visible()
    kept(page, "misfits")
    change_bench(desk, BenchChange(machine_id=machines["Sluice Two"]))


def kept(page: Page, name: str) -> None:
    page.wait_for_load_state("networkidle")
    page.screenshot(path=FOLDER / f"{name}.png")


if __name__ == "__main__":
    main()
