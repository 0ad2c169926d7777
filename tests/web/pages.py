"""The real pages in a real browser: a server and a tab a class, the tab emptied for each test."""

from __future__ import annotations

import contextlib
import os
import re
import socket
import unittest
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager
from functools import cache
from pathlib import Path
from typing import Any, ClassVar, Literal
from urllib.parse import urlsplit

from playwright.sync_api import (
    Browser,
    BrowserContext,
    Locator,
    Page,
    Route,
    ViewportSize,
    expect,
    sync_playwright,
)

from tests.parts import (
    PATIENCE_S,
    context_on_fresh_database,
    for_the_run,
    sample_world,
    served,
)
from vapocline.cli.serving import listen
from vapocline.desk.context import Context

# Debian's, which starts and draws for less than the whole browser; without it Playwright's own.
DEBIANS = os.environ.get("VAPOCLINE_CHROMIUM", "/usr/bin/chromium-headless-shell")
CHROMIUM = DEBIANS if os.path.exists(DEBIANS) else None
AXE = Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
expect.set_options(timeout=PATIENCE_S * 1000)
WIDE: ViewportSize = {"width": 1280, "height": 800}
PHONE: ViewportSize = {"width": 390, "height": 844}
LOOKS: tuple[tuple[Literal["light", "dark"], ViewportSize], ...] = (
    ("light", WIDE), ("dark", WIDE), ("light", PHONE),
)  # fmt: skip
FORGET = "() => { localStorage.clear(); sessionStorage.clear(); }"


@cache
def browser() -> Browser:
    """One Chromium for the whole run: classes have contexts of their own in it."""
    playwright = for_the_run(sync_playwright())
    return for_the_run(
        contextlib.closing(playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS))
    )


@cache
def own_port() -> socket.socket:
    """One port for all classes of a worker: what the browser has read of the pages, it keeps."""
    return for_the_run(contextlib.closing(listen(None)))


@cache
def own_context(address: str) -> BrowserContext:
    """One context for all of them: each empties it of what the last one kept."""
    context = browser().new_context(base_url=address, viewport=WIDE)
    context.set_default_timeout(PATIENCE_S * 1000)
    return for_the_run(contextlib.closing(context))


class InBrowser(unittest.TestCase):
    """Serves the pages on a database of its own; fails a test whose page complains."""

    sample_world: ClassVar[bool] = True
    speed: ClassVar[float] = 4.0
    instruments: ClassVar[bool] = False
    learns: ClassVar[bool] = False

    @classmethod
    def setUpClass(cls) -> None:
        cls.app: Context = cls.enterClassContext(cls.at_bench())
        cls.address = cls.enterClassContext(served(cls.app, learns=cls.learns, at=own_port()))
        cls.browser: Browser = browser()
        cls.context = own_context(cls.address)
        cls.tab = cls.context.new_page()
        cls.addClassCleanup(cls.close_tab)

    @classmethod
    def close_tab(cls) -> None:
        """The one that is open now: a test may have closed the first."""
        cls.tab.close()

    @classmethod
    def at_bench(cls) -> AbstractContextManager[Context]:
        """The first person at the first bench, on a database of its own."""
        template = sample_world() if cls.sample_world else "vapocline"
        return context_on_fresh_database(
            speed=cls.speed, template=template, instruments=cls.instruments
        )

    def setUp(self) -> None:
        self.complaints: list[str] = []
        self.provokes_refusals = False
        self.page = self.emptied_tab()

    def tearDown(self) -> None:
        self.assertEqual(self.complaints, [])

    @classmethod
    @contextlib.contextmanager
    def opened(cls) -> Iterator[BrowserContext]:
        """A context of the browser, as of another person's computer."""
        context = cls.browser.new_context(base_url=cls.address, viewport=WIDE)
        context.set_default_timeout(PATIENCE_S * 1000)
        with contextlib.closing(context):
            yield context

    def new_context(self) -> BrowserContext:
        return self.enterContext(self.opened())

    def new_page(self, context: BrowserContext) -> Page:
        """Another tab, closed after the test."""
        page = context.new_page()
        self.addCleanup(page.close)
        self.listen(page)
        return page

    def emptied_tab(self) -> Page:
        """The class's tab as if new. Opening one costs more than most tests do in it."""
        if self.tab.is_closed():
            type(self).tab = self.context.new_page()
        page = self.tab
        page.unroute_all()
        page.set_viewport_size(WIDE)
        page.emulate_media(color_scheme="light")
        page.mouse.move(0, 0)
        page.goto("/icon.svg")  # what the last test left is unloaded before its traces go
        page.evaluate(FORGET)
        self.listen(page)
        return page

    def listen(self, page: Page) -> None:
        """Hear what a page complains of, until the test is over."""
        heard: dict[Any, Callable[[Any], None]] = {
            "console": lambda message: self.heard(message.type, message.text),
            "pageerror": lambda error: self.complaints.append(str(error)),
            "request": lambda request: self.asked(request.url),
        }
        for event, hear in heard.items():
            page.on(event, hear)
            self.addCleanup(page.remove_listener, event, hear)

    def heard(self, kind: str, text: str) -> None:
        # The browser itself reports every refusal and lost connection as an error: a test that
        # brings one about says so, and looks at what the page tells of it.
        if text.startswith("Failed to load resource") and self.provokes_refusals:
            return
        if kind in ("error", "warning"):
            self.complaints.append(text)

    def asked(self, url: str) -> None:
        host = urlsplit(url).hostname
        if host not in ("127.0.0.1", None):
            self.complaints.append(f"a request left this machine: {url}")

    @contextlib.contextmanager
    def intercepting(
        self, page: Page, urls: str, answer: Callable[[Route], object]
    ) -> Iterator[None]:
        """Answer a page's requests to some addresses here.

        A page obeys a moment after Chromium says that it does, later on a busy machine: a request
        that is of no use shows when it does.
        """
        probe = re.compile(r"/icon\.svg\?intercepted$")
        page.route(probe, lambda route: route.fulfill(status=204))
        page.route(urls, answer)
        page.wait_for_function(
            "async () => (await fetch('/icon.svg?intercepted')).status === 204", polling=100
        )
        yield
        page.unroute(urls, answer)

    def look(self, scheme: Literal["light", "dark"], size: ViewportSize) -> None:
        """Show the page in a theme and a size."""
        self.page.emulate_media(color_scheme=scheme)
        self.page.set_viewport_size(size)

    def figure(self, name: str) -> Locator:
        """A figure of the forecast column."""
        return self.page.locator(f"[data-figure='{name}'] [data-part='fig']")

    def number(self, name: str) -> float:
        return float(self.figure(name).inner_text())

    def settled(self, page: Page | None = None) -> None:
        """Wait until the forecast is that of what is on the page."""
        (page or self.page).locator("[aria-label=Forecast][aria-busy=false]").wait_for()

    def phase(self, name: str) -> Locator:
        named = re.compile(rf"^{re.escape(name)}\b")
        return self.page.get_by_role("group", name="Phases").get_by_role("button", name=named)

    def start_the_pump(self, page: Page | None = None) -> None:
        """Confirm every check that is asked, and start."""
        here = page or self.page
        here.get_by_role("button", name="Confirm all").click()
        ready = here.locator("[aria-label='Start checks']").get_by_text("all ready")
        expect(ready).to_be_visible()
        here.get_by_role("button", name="Start the pump").click()
        here.wait_for_url("**/pull/shot/*")

    def violations(self, page: Page) -> list[str]:
        """Every serious barrier that axe-core finds on the page."""
        if not page.evaluate("() => 'axe' in window"):
            page.evaluate(AXE.read_text(encoding="utf-8"))  # a script tag would be refused
        found: list[dict[str, Any]] = page.evaluate(
            "async () => (await axe.run({ resultTypes: ['violations'] })).violations"
        )
        return [
            f"{one['id']}: {one['nodes'][0]['html'][:160]}"
            for one in found
            if one["impact"] in ("serious", "critical")
        ]
