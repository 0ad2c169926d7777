"""What shots say on the shelf, and the first grind of a coffee that was never pulled here."""

from __future__ import annotations

from playwright.sync_api import expect

from tests.web.pages import InBrowser
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.plan.profiles import find_profile
from vapocline.desk.shelf.coffees import list_coffees

NEVER = "Sallow Reach"


class OnTheShelf(InBrowser):
    def test_machine_grinder_and_coffee_lead_to_what_their_shots_taught(self) -> None:
        page = self.page
        bench = read_bench(self.app)
        assert bench.coffee
        assert bench.grinder
        for kind, number, words in (
            ("machines", bench.machine.id, f"{bench.coffee.name} by {bench.grinder.name}"),
            ("grinders", bench.grinder.id, f"{bench.coffee.name} on {bench.machine.name}"),
            ("coffees", bench.coffee.id, f"by {bench.grinder.name} on {bench.machine.name}"),
        ):
            page.goto(f"/shelf/{kind}/{number}")
            panel = page.get_by_role("region", name="What the shots taught")
            expect(panel.get_by_role("link", name=words)).to_be_visible()
            if kind == "machines":
                expect(panel).to_contain_text("After a stop")
        page.get_by_role("link", name=f"by {bench.grinder.name} on").click()
        expect(page.get_by_text("Nothing yet: no shot has been learnt from")).to_be_visible()
        expect(page.locator("[data-part=record]")).to_contain_text("of the last 6")
        self.assertEqual(self.violations(page), [])

    def test_a_coffee_never_pulled_begins_with_a_grind_that_can_be_set(self) -> None:
        page = self.page
        coffee = next(one for one in list_coffees(self.app) if one.name == NEVER)
        before = read_bench(self.app)
        change_bench(self.app, BenchChange(coffee_id=coffee.id))
        assert before.coffee
        self.addCleanup(change_bench, self.app, BenchChange(coffee_id=before.coffee.id))
        page.goto(f"/plan/{find_profile(self.app, 'Quay fall')}")
        offer = page.locator("[data-part=first-grind]")
        expect(offer).to_contain_text("Never pulled here. Begin at grind")
        setting = float(offer.locator("b").inner_text())
        offer.get_by_role("button", name="Set").click()
        expect(offer.get_by_role("button", name="Set")).to_have_count(0)
        self.assertEqual(read_bench(self.app).grind_setting, setting)
        self.addCleanup(change_bench, self.app, BenchChange(water_c=before.water_c))
        change_bench(self.app, BenchChange(water_c=86))
        page.reload()
        water = page.locator("[data-part=start-water]")
        expect(water).to_contain_text("predicted extraction +")
        water.get_by_role("button", name="Set").click()
        expect(water).to_have_count(0)
        self.assertGreater(read_bench(self.app).water_c, 86)
        self.provokes_refusals = True
        page.goto("/shelf/learnt")
        expect(page.get_by_text(f"'{NEVER}' was never pulled by")).to_be_visible()
