"""Retake the pictures in docs/screenshots: ./vapo screenshots. Sample world only."""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import Browser, Page, expect, sync_playwright
from sqlalchemy import ARRAY, Text, func, literal, update
from sqlalchemy.dialects.postgresql import JSONB

from tests.core.read.recordings import Fault, recording
from tests.factories import EVERY_CHECK
from tests.parts import context_on_fresh_database, sample_world, served
from tests.web.pages import CHROMIUM, FLAGS, PHONE, WIDE
from vapocline.core.formats.registry import PLAN
from vapocline.core.profile.profile import Profile
from vapocline.core.shot.result import result_of
from vapocline.core.shot.traces import CHANNELS
from vapocline.core.taste.sessions import SessionSetup
from vapocline.core.taste.tasting import Tasting
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.context import Context
from vapocline.desk.next.next import Taken, take_change
from vapocline.desk.plan.profiles import NewProfile, start_profile
from vapocline.desk.pull.request import PullRequest
from vapocline.desk.pull.start import pull as pull_shot
from vapocline.desk.read.unread import read_what_is_unread
from vapocline.desk.shelf.machines import list_machines
from vapocline.desk.taste.sessions import remove_session, start_session
from vapocline.desk.taste.tasting import score
from vapocline.desk.trail.summary import BaselineSaid, pin_baseline
from vapocline.store.database import transaction
from vapocline.store.tables import EventRow, ShotRow

FOLDER = Path(__file__).parents[2] / "docs" / "screenshots"


def main() -> None:
    """One picture of each main view."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    with (
        context_on_fresh_database(
            speed=1, seed=11, template=sample_world(), instruments=True
        ) as context,
        served(context, learns=True) as address,
        sync_playwright() as playwright,
    ):
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        wide = browser.new_page(viewport=WIDE, base_url=address)
        learnt(wide)
        next_change(wide)
        plan(wide, "plan")
        begin(browser)
        read(wide, context)
        compare(wide)
        taste(wide)
        phone = browser.new_page(viewport=PHONE, base_url=address)
        pull(wide, phone)
        by_hand(wide, context)
        on_the_shelf(wide)
        translated(wide, context)
        dark = browser.new_page(viewport=WIDE, base_url=address, color_scheme="dark")
        plan(dark, "plan-dark")
        at_a_table(phone, context)
        with (
            context_on_fresh_database(speed=0, seed=11, template=sample_world()) as quick,
            served(quick) as elsewhere,
        ):
            trail(browser.new_page(viewport=WIDE, base_url=elsewhere), quick)
        browser.close()


# Water from what is on the bench, grind, dose, and how each cup was: the last change was expected.
DIALLED = (
    (0, 14.5, 18.0, Tasting(liking=6, bitterness=6, sweetness=5, words=("cocoa",))),
    (-1, 14.5, 18.0, Tasting(liking=8, bitterness=3, sweetness=6, words=("plum", "cocoa"))),
    (-1, 13.0, 18.0, Tasting(liking=5, bitterness=6, words=("ash",))),
    (-1, 14.5, 18.0, Tasting(liking=8, bitterness=3)),
    (-2, 14.5, 18.0, Tasting(liking=6, bitterness=2)),
    (-1, 14.5, 18.5, Tasting(liking=7, bitterness=4, words=("plum",))),
)


def trail(page: Page, context: Context) -> None:
    """A coffee dialled in: branches, a baseline, a change that was expected."""
    bench = read_bench(context)
    assert bench.coffee
    for number, (warmer_c, setting, dose_g, tasting) in enumerate(DIALLED):
        change_bench(
            context,
            BenchChange(water_c=bench.water_c + warmer_c, grind_setting=setting, dose_g=dose_g),
        )
        request = {"profile_id": 4, "number": 3, "despite": EVERY_CHECK}
        shot_id = pull_shot(context, PullRequest.model_validate(request))
        score(context, shot_id, tasting)
        if number == 0:
            take_change(context, shot_id, Taken(move="cooler", expected={"bitterness": -1.2}))
    pin_baseline(context, bench.coffee.id, BaselineSaid(shot_id=5))
    while read_what_is_unread(context.resources):
        pass
    page.goto("/trail")
    expect(page.get_by_role("heading", name="Best so far")).to_be_visible()
    page.wait_for_load_state("networkidle")
    kept(page, "trail")


def at_a_table(phone: Page, context: Context) -> None:
    """A taster's phone in mid tasting."""
    setup = SessionSetup(shot_ids=(1, 3, 5), tasters=("Ines", "Teodor"), warmths=("hot", "warm"))
    table = start_session(context, setup)
    seat = table.seats[0]
    phone.goto(f"/table/{table.join_code}/{seat.taster_id}#{seat.secret}")
    for points in ("6", "4", "5"):
        phone.get_by_role("button", name=points, exact=True).click()
    expect(phone.get_by_text("3 of 60")).to_be_visible()
    kept(phone, "taste-phone")
    remove_session(context, table.id)


def begin(browser: Browser) -> None:
    """A bench in mid answer, in an empty house."""
    with context_on_fresh_database(instruments=True) as context, served(context) as address:
        page = browser.new_page(viewport=WIDE, base_url=address)
        page.goto("/begin")
        page.get_by_label("a pressure", exact=True).check(force=True)
        page.get_by_role("button", name="Next: grinder").click()
        page.get_by_label("Espresso near").fill("14")
        page.locator("[data-editor]").get_by_text("coarser").click()
        expect(page.get_by_text(re.compile("^This answer narrows the shot time"))).to_be_visible()
        expect(page.get_by_text("What would narrow it most")).to_be_visible()
        page.wait_for_load_state("networkidle")
        kept(page, "begin")
        page.close()


def learnt(page: Page) -> None:
    """What the sample shots taught."""
    page.goto("/shelf/learnt")
    expect(page.locator("[data-part=in-use]")).to_contain_text("6 shots", timeout=60_000)
    expect(page.locator("[data-part=next-shot]")).to_be_visible()
    kept(page, "learnt")


def next_change(page: Page) -> None:
    """Changes that answer a wish, one chosen."""
    page.goto("/next/6?wished=too+bitter&wished=thin")
    page.locator("[data-change=longer_soak] > button").click()
    expect(page.get_by_role("heading", name="Longer soak")).to_be_visible()
    kept(page, "next")


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


def compare(page: Page) -> None:
    page.goto("/taste/1/with/5")
    expect(page.get_by_text("was liked more")).to_be_visible()
    kept(page, "compare")


def taste(page: Page) -> None:
    page.goto("/taste/5")
    expect(page.get_by_role("radiogroup", name="Liking")).to_be_visible()
    kept(page, "taste")
    page.goto("/taste/together")
    page.get_by_role("link", name="Steady nine v1, Long soak v1").click()
    expect(page.get_by_role("img", name="Scores, hot, of all tasters")).to_be_visible()
    kept(page, "together")


def start(page: Page, path: str) -> None:
    """Through the checks to a running pump."""
    page.goto(path)
    page.get_by_role("button", name="Confirm all").click()
    expect(page.locator("[aria-label='Start checks']").get_by_text("all ready")).to_be_visible()
    page.get_by_role("button", name="Start the pump").click()
    page.wait_for_url("**/pull/shot/*")


def until(page: Page, reading: str, least: float) -> None:
    page.locator("[data-reading]").first.wait_for()
    page.wait_for_function(
        "([at, least]) => parseFloat(document.querySelector(at).innerText) > least",
        arg=[f"[data-reading='{reading}'] b", least],
        timeout=90_000,
    )


def pull(page: Page, phone: Page) -> None:
    """Before, in mid shot with a nudge, on a phone, after, and tidied."""
    page.goto("/pull/4/3")
    expect(page.locator("[data-check=tare][data-state=ready]")).to_be_visible()
    page.get_by_label("The basket is wiped dry").check()
    kept(page, "pull-before")
    start(page, "/pull/4/3")
    until(page, "Time", 9)
    page.keyboard.press("ArrowUp")
    until(page, "In the cup", 8)
    phone.goto(page.url)
    kept(page, "pull-live", still=False)
    phone.get_by_role("button", name="Take control").click()
    phone.get_by_role("button", name="Hold").wait_for()
    kept(phone, "pull-phone", still=False)
    page.get_by_role("button", name="Taste this shot").wait_for(timeout=90_000)
    page.locator("[data-correction]").wait_for()
    page.get_by_role("link", name="Tidy it into a profile").click()
    page.locator("[data-phase]").first.wait_for()
    kept(page, "tidy")


SHOWN, OPENS_S = 2, 17.0


def read(page: Page, context: Context) -> None:
    """A shot whose puck opened, made for it: the simulated ones of the sample are calm."""
    with transaction(context.sessions) as session:
        row = session.get(ShotRow, SHOWN)
        assert row
        made = recording(PLAN.read(row.plan), 3, Fault(at_s=OPENS_S, opens=0.4))
        for name in CHANNELS:
            setattr(row, name, getattr(made.traces, name).tolist())
        result = result_of(made.traces, stop_s=made.stop_s, dose_g=row.dose_g)
        for name in ("yield_g", "first_drip_s", "full_pressure_s", "peak_pressure_bar"):
            setattr(row, name, getattr(result, name))
        row.shot_time_s, row.water_in_ml = made.stop_s, result.water_in_ml
        session.execute(
            update(EventRow)
            .where(EventRow.shot_id == SHOWN, EventRow.kind == "stopped")
            .values(time_s=made.stop_s, document=func.jsonb_set(
                EventRow.document, literal(["time_s"], ARRAY(Text)), literal(made.stop_s, JSONB)))
        )  # fmt: skip
    page.goto(f"/read/{SHOWN}")
    page.locator("[data-finding=opened]").wait_for()
    page.locator("[data-pane=resistance]").wait_for()
    kept(page, "read")


LEVER = Profile.model_validate(
    {
        "name": "Slow oar",
        "stop": {"cup_g": 30, "time_s": 90},
        "phases": [
            {
                "name": "Soak",
                "kind": "pre-infusion",
                "command": {"control": "force", "from": 7, "to": 7},
                "exits": [{"when": "first_drip"}, {"when": "seconds", "value": 25}],
            },
            {
                "name": "Press",
                "kind": "hold",
                "command": {"control": "force", "from": 18, "to": 18},
                "exits": [{"when": "seconds", "value": 60}],
            },
        ],
    }
)


def by_hand(page: Page, context: Context) -> None:
    """A lever through its cue sheet."""
    machines = {one.name: one.id for one in list_machines(context)}
    change_bench(context, BenchChange(machine_id=machines["Oarlock"]))
    number = start_profile(context, NewProfile(name="Slow oar", profile=LEVER)).profile_id
    start(page, f"/pull/{number}/1")
    page.get_by_role("slider", name="Lever by hand").wait_for()
    for _ in range(7):
        page.keyboard.press("ArrowUp")
    until(page, "Time", 8)
    kept(page, "pull-hand", still=False)
    page.keyboard.press("x")
    page.get_by_role("button", name="Taste this shot").wait_for(timeout=90_000)
    change_bench(context, BenchChange(machine_id=machines["Sluice Two"]))


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
            page.get_by_role("button", name="Add a row").click()
        for label, value in (("Position", turns), ("Ran for", 20), ("Weighed", grams)):
            page.get_by_label(f"{label} {number}", exact=True).fill(f"{value:g}")
    expect(page.get_by_text("Free flow from 0.9 to 7.9")).to_be_visible()  # with the last row
    page.locator("section[aria-label=Calibrations]").scroll_into_view_if_needed()
    kept(page, "calibrate")


def translated(page: Page, context: Context) -> None:
    """A profile on a lever, and what of it a machine of fixed stages cannot take."""
    machines = {one.name: one.id for one in list_machines(context)}
    page.goto("/plan/4")
    page.locator("[aria-label=Forecast][aria-busy=false]").wait_for()
    page.keyboard.press("t")
    expect(page.get_by_role("dialog").get_by_role("table")).to_be_visible()
    kept(page, "translate")
    page.keyboard.press("Escape")
    change_bench(context, BenchChange(machine_id=machines["Sluice Two"]))


def kept(page: Page, name: str, *, still: bool = True) -> None:
    if still:
        page.wait_for_load_state("networkidle")
    page.screenshot(path=FOLDER / f"{name}.png")


if __name__ == "__main__":
    main()
