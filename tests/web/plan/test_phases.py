"""Every part of a phase through the editor: each command, move, limit and exit, and the stop."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.web.pages import InBrowser
from vapocline.core.machine.machine import HandLever, Machine, Spring, SpringLever
from vapocline.core.profile.profile import Profile
from vapocline.desk.plan.profiles import NewProfile, read_history, start_profile
from vapocline.desk.shelf.machines import add_machine

QUAY = 4


class Phases(InBrowser):
    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        springs = (Spring(top_bar=7, end_bar=3), Spring(top_bar=2, end_bar=1))
        add_machine(cls.app, Machine(name="Gaff", control=SpringLever(springs=springs)))
        add_machine(cls.app, Machine(name="Sweep", control=HandLever()))

    def setUp(self) -> None:
        super().setUp()
        quay = read_history(self.app, QUAY).newest.profile
        started = start_profile(self.app, NewProfile(name=self._testMethodName[5:65], profile=quay))
        self.profile_id = started.profile_id
        self.page.goto(f"/plan/{self.profile_id}?phase=2")
        expect(self.page.get_by_label("Level", exact=True)).to_be_visible()
        self.settled()

    def choose(self, label: str, words: str) -> None:
        self.page.locator("[data-editor]").get_by_role("button", name=f"{label}: ").first.click()
        self.page.get_by_role("option", name=words, exact=True).click()
        expect(self.page.get_by_role("listbox")).to_have_count(0)

    def saved(self) -> Profile:
        """Save the draft and read it back from the database."""
        self.page.keyboard.press("Control+s")
        expect(self.page.get_by_role("button", name="Saved", exact=True)).to_be_visible()
        return read_history(self.app, self.profile_id).newest.profile

    def on_machine(self, name: str) -> None:
        self.page.get_by_role("button", name=re.compile("^Machine: ")).click()
        self.page.get_by_role("button", name=re.compile(f"^{name}")).click()
        expect(self.page.get_by_role("button", name=f"Machine: {name}")).to_be_visible()

    def test_a_move_a_limit_and_exits_are_set_by_words_and_numbers_and_kept(self) -> None:
        page = self.page
        self.choose("Kind", "Decline")
        self.choose("Move", "like a spring")
        page.get_by_label("From", exact=True).fill("8,4")
        page.get_by_label("To", exact=True).fill("5")
        page.get_by_label("Length", exact=True).fill("12")
        self.choose("Along", "g in the cup")
        page.get_by_label("Limit", exact=True).fill("2.4")
        page.get_by_role("button", name="or", exact=True).click()
        expect(page.get_by_role("button", name="Exit: pressure up to", exact=True)).to_be_visible()
        page.get_by_role("button", name="Exit: pressure up to", exact=True).click()
        page.get_by_role("option", name="cup weight", exact=True).click()
        page.get_by_role("textbox", name="Exit: cup weight").fill("25")
        self.settled()
        expect(self.phase("Decline").first).to_contain_text("8.4")
        phase = self.saved().phases[2]
        self.assertEqual(
            (phase.kind, phase.shape, phase.along, phase.over), ("decline", "spring", "cup", 12)
        )
        self.assertEqual((phase.command.from_, phase.command.to), (8.4, 5))
        self.assertEqual(phase.limit.flow_ml_s, 2.4)
        exits = [(rule.when, rule.value) for rule in phase.exits]
        self.assertEqual(exits, [("seconds", 5), ("cup_g", 25)])

    def test_another_command_brings_a_fitting_level_and_drops_what_makes_no_sense(self) -> None:
        page = self.page
        page.get_by_label("Limit", exact=True).fill("2")
        self.choose("Command", "flow")
        expect(page.get_by_label("Level", exact=True)).to_have_value("3")
        expect(page.get_by_label("Limit", exact=True)).to_have_value("")
        expect(page.locator("[data-editor]")).to_contain_text("mL/s")
        self.choose("Command", "pump off")
        expect(page.get_by_label("Level", exact=True)).to_have_count(0)
        expect(page.get_by_label("Limit", exact=True)).to_have_count(0)
        self.settled()
        expect(self.phase("Hold")).to_contain_text("pump off")
        self.choose("Command", "pressure")
        expect(page.get_by_label("Level", exact=True)).to_have_value("6")

    def test_a_limit_is_drawn_and_an_emptied_one_is_none(self) -> None:
        page = self.page
        limits = page.locator("path.limit")
        before = limits.count()
        page.get_by_label("Limit", exact=True).fill("1.2")
        expect(limits).to_have_count(before + 1)
        expect(page.get_by_text(re.compile("flow limit 1.2 mL/s holds it")).first).to_be_visible()
        page.get_by_label("Limit", exact=True).fill("")
        expect(limits).to_have_count(before)

    def test_phases_are_copied_moved_and_removed_from_their_menu(self) -> None:
        page = self.page
        blocks = page.get_by_role("group", name="Phases").get_by_role("button")

        def names() -> list[str]:
            return [block.locator("strong").inner_text() for block in blocks.all()]

        started = names()

        def menu(words: str) -> None:
            page.get_by_role("button", name="Phase", exact=True).click()
            page.get_by_role("menuitem", name=re.compile(words)).click()

        menu("Copy this phase")
        expect(blocks).to_have_count(len(started) + 1)
        self.assertEqual(names()[2:4], [started[2], started[2]])
        menu("Move this phase earlier")
        expect(blocks.nth(2)).to_have_attribute("aria-pressed", "true")
        menu("Remove this phase")
        expect(blocks).to_have_count(len(started))
        self.assertEqual(names(), started)

    def test_the_stop_is_edited_like_a_phase(self) -> None:
        page = self.page
        self.phase("Stop").click()
        page.get_by_label("Stop weight").fill("")
        page.get_by_label("Stop water").fill("60")
        page.get_by_label("Longest time").fill("80")
        self.settled()
        expect(page.get_by_text("at 60 mL pumped")).to_be_visible()
        stop = self.saved().stop
        self.assertEqual((stop.cup_g, stop.water_ml, stop.time_s), (None, 60, 80))

    def test_a_spring_levers_phase_runs_on_its_machine_and_is_refused_on_another(self) -> None:
        self.provokes_refusals = True
        page = self.page
        page.get_by_role("button", name="Profiles").click()
        page.get_by_label("Name of the new profile").fill("By lever")
        page.get_by_role("button", name="Start a profile").click()
        expect(page.get_by_role("heading", name="By lever")).to_be_visible()
        for _ in range(2):
            page.keyboard.press("Delete")
        self.on_machine("Gaff")
        self.choose("Command", "spring lever")
        self.settled()
        one = self.number("Peak pressure")
        self.choose("Springs", "with both springs")
        expect(self.figure("Peak pressure")).not_to_have_text(f"{one:.1f}")
        self.assertGreater(self.number("Peak pressure"), one)
        expect(page.locator("[data-trace=commanded] path").first).to_be_attached()
        refused = page.get_by_role("region", name="Fits this machine")
        self.on_machine("Sluice Two")
        expect(refused).to_contain_text("takes pressure, flow, off on Sluice Two")
        self.on_machine("Sweep")
        expect(refused).to_contain_text("takes force, off on Sweep")
        self.choose("Command", "hand force")
        self.settled()
        page.get_by_label("Level", exact=True).fill("18")
        expect(page.locator("[data-editor]")).to_contain_text("kg")
        self.settled()
        self.on_machine("Sluice Two")

    def test_a_profile_is_renamed_and_a_version_named(self) -> None:
        page = self.page
        page.get_by_label("Level", exact=True).fill("8.1")
        page.get_by_role("button", name="Name and note").click()
        page.get_by_label("Profile's name").fill("Quay fall, renamed")
        page.get_by_label("Note").fill("Softer in the middle.")
        page.get_by_label(re.compile("Name for version")).fill("Sunday")
        page.get_by_role("button", name=re.compile("^Save as v")).last.click()
        expect(page.get_by_role("heading", name="Quay fall, renamed")).to_be_visible()
        expect(page.get_by_text("“Sunday”, saved")).to_be_visible()
        newest = read_history(self.app, self.profile_id).newest
        self.assertEqual((newest.label, newest.profile.note), ("Sunday", "Softer in the middle."))
        page.get_by_role("button", name="Profiles").click()
        expect(page.get_by_role("link", name=re.compile("Quay fall, renamed"))).to_be_visible()
