"""Finding things by name, keys that can be switched off, terms explained, drafts kept."""

from __future__ import annotations

from playwright.sync_api import Locator, expect

from tests.web.pages import InBrowser

TYPED_AT_ONCE = """(field) => {
    const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set;
    const drafts = () => Object.entries(localStorage).filter(([key]) => key.includes('drafts'));
    for (const value of ['6.1', '6.2', '6.3']) {
        set.call(field, value);
        field.dispatchEvent(new Event('input', {bubbles: true}));
    }
    return JSON.stringify(drafts());
}"""
KEPT = """() => Object.entries(localStorage).some(
    ([key, text]) => key.includes('drafts') && text.includes('6.3'))"""


class Palette(InBrowser):
    def search(self, text: str) -> Locator:
        """The entries found for a text."""
        self.page.keyboard.press("Control+k")
        self.page.get_by_label("Search").fill(text)
        return self.page.get_by_role("option")

    def test_it_finds_everything_on_the_shelf_settings_terms_and_actions(self) -> None:
        page = self.page
        page.goto("/plan/4")
        self.settled()
        found = self.search("gr")
        for words in ("Grind", "Ratline", "Use Ratline on the bench"):
            expect(found.filter(has_text=words).first).to_be_visible()
        for words, hint in (
            ("Ferrow Hill", "coffee"),
            ("Low Tide", "machine"),
            ("Straight 18", "basket"),
            ("Weights in ounces", "setting"),
            ("Bloom", "term"),
            ("Start from a style", "action"),
        ):
            page.get_by_label("Search").fill(f"{words} {hint}")
            expect(found.filter(has_text=words).first).to_be_visible()
        page.get_by_label("Search").fill("nothing is called this")
        expect(page.get_by_text("No results.")).to_be_visible()
        page.get_by_label("Search").fill("Bloom term")
        page.keyboard.press("Enter")
        term = page.get_by_role("dialog").locator("[data-term='bloom']")
        expect(term).to_contain_text("with the pump off")

    def test_single_letter_keys_can_be_switched_off_and_stay_off(self) -> None:
        page = self.page
        page.goto("/plan/4")
        self.settled()
        self.search("single-letter keys")
        expect(page.get_by_role("option").first).to_contain_text("ingle-letter keys")
        page.keyboard.press("Enter")
        expect(page.get_by_role("option")).to_have_count(0)
        page.reload()
        self.settled()
        page.keyboard.press("?")
        page.keyboard.press("t")
        expect(page.get_by_role("dialog")).to_have_count(0)
        self.search("single-letter keys")
        page.keyboard.press("Enter")
        expect(page.get_by_role("dialog")).to_have_count(0)
        page.keyboard.press("t")
        expect(page.get_by_role("dialog")).to_have_count(1)

    def test_a_figure_says_what_it_means_to_the_pointer_and_to_the_keyboard(self) -> None:
        page = self.page
        page.goto("/plan/4")
        self.settled()
        name = page.get_by_role("button", name="Extraction (EY)", exact=True)
        name.hover()
        name.hover(position={"x": 4, "y": 4})  # a hand moves on: one move may come too early
        expect(page.get_by_role("tooltip")).to_contain_text("strength times yield over dose")
        page.mouse.move(5, 5)
        expect(page.get_by_role("tooltip")).to_have_count(0)
        name.focus()
        expect(page.get_by_role("tooltip")).to_be_visible()
        page.keyboard.press("Escape")
        expect(page.get_by_role("tooltip")).to_have_count(0)

    def test_a_draft_is_kept_once_the_hand_rests_and_not_on_every_change(self) -> None:
        page = self.page
        page.goto("/plan/4?phase=2")
        self.settled()
        self.assertNotIn("6.3", page.get_by_label("Level", exact=True).evaluate(TYPED_AT_ONCE))
        page.wait_for_function(KEPT)
