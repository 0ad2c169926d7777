"""A browser before a machine with its instruments: put on the bench, started, watched."""

from __future__ import annotations

from typing import ClassVar

import httpx
from playwright.sync_api import Page, expect

from tests.factories import pressure, profile, seconds
from tests.web.pages import InBrowser
from vapocline.core.profile.profile import Profile
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.plan.profiles import NewProfile, list_profiles, start_profile
from vapocline.desk.read.shots import list_shots
from vapocline.desk.shelf.machines import list_machines

# Longer than any test acts on it, on a slow machine too: it ends by being stopped.
LONG = profile(pressure(6, None, seconds(280), name="Press"), cup_g=500, time_s=290)


class AtTheMachine(InBrowser):
    speed: ClassVar[float] = 3.0
    instruments: ClassVar[bool] = True

    def setUp(self) -> None:
        super().setUp()
        self.put("Sluice Two")

    def tearDown(self) -> None:
        """A test that failed in mid shot leaves the machine to the next."""
        for shot in list_shots(self.app, limit=1):
            if shot.state == "running":
                httpx.post(f"{self.address}/api/shots/{shot.id}/orders", json={"do": "stop"})
        super().tearDown()

    def put(self, machine: str) -> None:
        """Put a machine on the bench."""
        found = {one.name: one.id for one in list_machines(self.app)}
        change_bench(self.app, BenchChange(machine_id=found[machine]))

    def started(self, name: str, document: Profile = LONG) -> int:
        there = {one.name: one.id for one in list_profiles(self.app)}
        if name in there:
            return there[name]
        return start_profile(self.app, NewProfile(name=name, profile=document)).profile_id

    def pulling(self, number: int, page: Page | None = None) -> Page:
        """A pull of a profile's first version, under way."""
        here = page or self.page
        here.goto(f"/pull/{number}/1")
        self.start_the_pump(here)
        expect(here.locator("[data-reading=Pressure] b")).not_to_have_text("0.0")
        return here

    def reads(self, name: str, what: str) -> None:
        """Wait in the page itself until a reading, x, is so: asking from here slows it down."""
        self.page.wait_for_function(
            f"""() => {{
                const x = parseFloat(document.querySelector("[data-reading='{name}'] b").innerText);
                return {what};
            }}""",
            polling=50,
        )

    def newest(self) -> int:
        return list_shots(self.app, limit=1)[0].id
