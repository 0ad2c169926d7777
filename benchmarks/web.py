"""What a user waits for: the forecast after a key, a page's first load, and how much is loaded."""

from __future__ import annotations

import gzip
import time
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from benchmarks.timing import Row, row
from tests.parts import context_on_fresh_database, sample_world, served
from tests.web.pages import CHROMIUM, FLAGS, WIDE

DIST = Path(__file__).parents[1] / "web" / "dist" / "assets"
CHANGES = 50
GIVEN_UP_S = 1.0
GIVEN_UP = f"new Promise((done) => setTimeout(() => done({1000 * GIVEN_UP_S}), 1000))"

# Installed once: `curve(done)` calls back when the curve has changed and the frame that shows it is
# drawn: a message posted in a frame's callback comes after that frame's style, layout and paint.
WATCH = """() => {
    window.curve = (done) => {
        const line = document.querySelector('[data-trace=pressure_bar] path');
        const seen = new MutationObserver(() => {
            seen.disconnect();
            requestAnimationFrame(() => {
                const after = new MessageChannel();
                after.port1.onmessage = () => done(performance.now());
                after.port2.postMessage(0);
            });
        });
        seen.observe(line, { attributes: true, attributeFilter: ['d'] });
    };
}"""
KEY = """() => new Promise((done) => {
    const began = performance.now();
    window.curve((at) => done(at - began));
    const field = document.querySelector('[aria-label=Level]');
    field.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowDown', bubbles: true }));
})"""
# Armed before the pointer moves; `painted` is then the time from that move.
ARM = """() => {
    window.painted = new Promise((done) => addEventListener('pointermove', (event) => {
        window.curve((at) => done(at - event.timeStamp));
    }, { capture: true, once: true }));
}"""

# Before the page loads: with `window.ready` set, a forecast without ranges is answered at once with
# one of the first two that came, so that what is left is the page's own work.
READY = """
    const real = window.fetch;
    const known = [];
    let turn = 0;
    let last = '';
    window.fetch = async (input, given) => {
        const asked = input instanceof Request ? input : new Request(input, given);
        const body = asked.url.endsWith('/api/bench/forecast') ? await asked.clone().text() : '';
        const nominal = body !== '' && JSON.parse(body).members === 1;
        if (nominal && window.ready && known.length === 2) {
            if (body !== last) turn = 1 - turn;
            last = body;
            return new Response(known[turn], { headers: { 'content-type': 'application/json' } });
        }
        const answer = await real(asked);
        if (nominal && known.length < 2) known.push(await answer.clone().text());
        return answer;
    };
"""


def web_rows() -> list[Row]:
    """Measured in the browser that the tests use, on a server of its own."""
    with (
        context_on_fresh_database(template=sample_world()) as context,
        served(context) as address,
        sync_playwright() as playwright,
    ):
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_page(viewport=WIDE, base_url=address)
        page.add_init_script(READY)
        loads = [_load(page) for _ in range(8)]
        page.evaluate(WATCH)
        curves = _curves(page)
        drags = _drags(page)
        ranges = [_ranges(page) for _ in range(8)]
        page.evaluate("() => { window.ready = true; }")
        floor = _drags(page, by=2)
        browser.close()
    scripts = [path.read_bytes() for path in DIST.glob("*.js")]
    size = sum(len(gzip.compress(script)) for script in scripts) / 1000
    return [
        row("key to painted curve", curves, "aim 100 or less"),
        row("pointer's move to painted curve", drags, "aim 50 or less"),
        row("the same, answered by the page itself", floor, "its floor: aim 1.5 times this"),
        row("last move to ranges", ranges, "aim 500 or less"),
        row("first load to drawn forecast", loads[1:], "aim 1000 or less"),
        Row("scripts, compressed", size, None, "kB"),
    ]


def _load(page: Page) -> float:
    began = time.perf_counter()
    page.goto("/plan/4?phase=2")
    page.locator("[data-figure='Shot time'] [data-part='fig']").wait_for()
    return time.perf_counter() - began


def _drags(page: Page, by: int = -2) -> list[float]:
    """Fifty moves of a square, each waited for; `by` so many pixels, up by a negative number.

    One that changes nothing is not counted.
    """
    square = page.locator("[data-handle='2-level-end'] .reach")
    box = square.bounding_box()
    assert box is not None
    x, y = box["x"] + 12, box["y"] + 12
    page.mouse.move(x, y)
    page.mouse.down()
    page.keyboard.down("Alt")  # finer than the machine's steps: every move changes something
    taken = []
    for i in range(CHANGES):
        page.evaluate(ARM)
        page.mouse.move(x, y + by * (i + 1.5))
        taken.append(page.evaluate(f"() => Promise.race([window.painted, {GIVEN_UP}])") / 1000)
    page.keyboard.up("Alt")
    page.mouse.up()
    return [one for one in taken if one < GIVEN_UP_S]


def _ranges(page: Page) -> float:
    """From one nudge of a square to the bands redrawn; they go as soon as the hand moves."""
    page.locator("[data-trace=range]").wait_for(state="attached")
    page.locator("[data-handle='2-level-end']").focus()
    page.keyboard.press("Alt+ArrowDown")
    began = time.perf_counter()
    page.locator("[data-trace=range]").wait_for(state="detached")
    page.locator("[data-trace=range]").wait_for(state="attached")
    return time.perf_counter() - began


def _curves(page: Page) -> list[float]:
    return [page.evaluate(KEY) / 1000 for _ in range(CHANGES)]
