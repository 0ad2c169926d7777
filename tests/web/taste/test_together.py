"""Tasting together: a host and two phones, blind until closed, taken up again, split verdicts."""

from __future__ import annotations

import re
from typing import Any

from playwright.sync_api import Page, Route, expect

from tests.tastings import repeat_a_drink
from tests.web.pages import PHONE, InBrowser
from vapocline.core.taste.sessions import SessionSetup
from vapocline.desk.taste.seat import OwnSeat, ScoreSaid, read_seat, say_score
from vapocline.desk.taste.serving import read_serving_sheet
from vapocline.desk.taste.sessions import read_session, start_session
from vapocline.desk.taste.table import TastingSession

STEADY, SOAK, FALL = 1, 3, 5
TWO = ("Anna", "Bo")


def first_place(table: TastingSession) -> OwnSeat:
    return OwnSeat(table.seats[0].taster_id, table.seats[0].secret)


class Together(InBrowser):
    def start(self, **said: Any) -> TastingSession:
        known = {"shot_ids": (STEADY, FALL), "tasters": TWO, "lines": ("sweetness", "liking")}
        return start_session(self.app, SessionSetup.model_validate(known | said))

    def phone(self, table: TastingSession, name: str) -> Page:
        """Another person's phone, opened at the tasting's address."""
        page = self.new_page(self.new_context())
        page.set_viewport_size(PHONE)
        page.goto(f"/table/{table.join_code}")
        page.get_by_role("link", name=name, exact=True).click()
        secret = next(seat.secret for seat in table.seats if seat.name == name)
        page.get_by_label("Code").fill(f"{secret[:5]} {secret[5:]}".upper())
        page.keyboard.press("Enter")
        expect(page.get_by_text("Everything is saved.")).to_be_visible()
        return page

    def shot_of(self, table: TastingSession) -> dict[str, int]:
        """Shots by code, as only the serving sheet has them."""
        cups = read_serving_sheet(self.app, table.id).cups
        return {cup.code or "": cup.shot_id for cup in cups}

    def describe(
        self, page: Page, scores: dict[int, dict[str, int]], codes: dict[str, int]
    ) -> None:
        """Answer every scale with the thumb, cup by cup."""
        for _ in codes:
            code = page.locator("p.font-mono").inner_text()
            for line, points in scores[codes[code]].items():
                scale = page.get_by_role("region", name=line)
                scale.get_by_role("button", name=str(points), exact=True).click()
            expect(page.get_by_role("heading", name="Any words for it?")).to_be_visible()
            page.get_by_role("button", name="Next").click()
        expect(page.get_by_role("heading", name="All done")).to_be_visible()

    def test_a_host_and_two_phones_at_one_table_blind_until_it_is_closed(self) -> None:
        self.provokes_refusals = True
        repeat_a_drink(self.app, TWO, STEADY, ("sweetness", "liking"), times=12)
        page = self.page
        page.goto(f"/taste/together?shots={STEADY},{FALL}")
        page.get_by_role("button", name="Tasters:").click()
        out = page.get_by_role("button", name=re.compile("^Leave .* out"))
        for _ in range(out.count()):
            out.first.press("Enter")
        for name in TWO:
            page.get_by_label("Name of a taster").fill(name)
            page.keyboard.press("Enter")
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Lines:").click()
        for name in ("Acidity", "Bitterness", "Dryness", "Body", "Texture", "Clarity"):
            page.get_by_label(name, exact=True).uncheck()
        for name in ("Balance", "Finish"):
            page.get_by_label(name, exact=True).press("Space")
        page.keyboard.press("Escape")
        expect(page.get_by_role("button", name="Lines: two lines")).to_be_visible()
        expect(page.get_by_text("on one line is found in four of five")).to_be_visible()
        page.get_by_role("button", name="Draw codes and begin").click()
        page.wait_for_url("**/taste/together/*")
        number = int(page.url.rsplit("/", 1)[1])
        table = read_session(self.app, number)
        codes = self.shot_of(table)

        anna, bo = self.phone(table, "Anna"), self.phone(table, "Bo")
        for one in (page, anna, bo):
            for name in ("Steady nine", "Quay fall"):
                expect(one.get_by_text(name)).to_have_count(0)
        self.describe(
            anna,
            {STEADY: {"Sweetness": 3, "Liking": 3}, FALL: {"Sweetness": 8, "Liking": 9}},
            codes,
        )
        answers = page.get_by_role("progressbar", name="Answers of Anna")
        expect(answers).to_have_attribute("aria-valuenow", "4")  # without a reload
        page.get_by_role("button", name="Close and reveal").click()
        expect(page.get_by_text("Answers are missing: Bo has given 0 of 4.")).to_be_visible()
        self.describe(
            bo,
            {STEADY: {"Sweetness": 3, "Liking": 9}, FALL: {"Sweetness": 8, "Liking": 3}},
            codes,
        )
        expect(page.get_by_role("progressbar", name="Answers of Bo")).to_have_attribute(
            "aria-valuenow", "4"
        )
        page.get_by_role("button", name="Close anyway").click()
        said = page.get_by_role("main")
        expect(said).to_contain_text("Quay fall v3 is sweeter than Steady nine v1.")
        expect(said).to_contain_text(
            "They are split, hot: Quay fall v3 is liked more by Anna and Steady nine v1 is liked"
        )
        for one in (anna, bo):  # they are revealed on the phones too, by themselves
            expect(one.get_by_role("heading", name="What you tasted")).to_be_visible()
            expect(one.get_by_role("listitem").filter(has_text="Quay fall v3")).to_be_visible()

    def test_a_phone_that_dies_is_taken_up_where_it_was(self) -> None:
        table = self.start()
        phone = self.phone(table, "Anna")
        phone.get_by_role("button", name="7", exact=True).click()
        expect(phone.get_by_role("heading", name="Liking")).to_be_visible()
        expect(phone.get_by_text("Everything is saved.")).to_be_visible()
        phone.context.close()
        again = self.phone(table, "Anna")
        expect(again.get_by_text("1 of 4")).to_be_visible()
        expect(again.get_by_role("heading", name="Liking")).to_be_visible()
        again.get_by_role("button", name="Back").click()
        expect(again.get_by_role("button", name="7", exact=True)).to_have_attribute(
            "aria-pressed", "true"
        )

    def test_what_is_said_without_a_line_lies_on_the_phone_until_it_is_back(self) -> None:
        self.provokes_refusals = True
        table = self.start()
        phone = self.phone(table, "Anna")

        def cut(route: Route) -> None:
            route.abort("connectionrefused")

        with self.intercepting(phone, "**/score", cut):
            phone.keyboard.press("4")
            expect(phone.get_by_text("Kept on this phone until")).to_be_visible()
            phone.reload()
            expect(phone.get_by_text("1 of 4")).to_be_visible()

        def away(route: Route) -> None:
            route.fulfill(status=503, json={"detail": "The database does not respond."})

        with self.intercepting(phone, "**/score", away):
            phone.keyboard.press("6")
            expect(phone.get_by_text("Kept on this phone until")).to_be_visible()
        expect(phone.get_by_text("Everything is saved.")).to_be_visible()
        seat = read_seat(self.app, table.join_code, first_place(table))
        self.assertEqual(sorted(one.points for one in seat.scores), [4, 6])

    def test_keys_alone_answer_and_step_back_and_take_back(self) -> None:
        table = self.start(tasters=("Anna",))
        phone = self.phone(table, "Anna")
        phone.get_by_label("This cup was stirred").check()
        for key in ("3", "End"):
            phone.keyboard.press(key)
        expect(phone.get_by_role("heading", name="Any words for it?")).to_be_visible()
        phone.keyboard.press("ArrowLeft")
        expect(phone.get_by_role("button", name="10", exact=True)).to_have_attribute(
            "aria-pressed", "true"
        )
        phone.keyboard.press("Backspace")
        expect(phone.get_by_text("1 of 4")).to_be_visible()
        phone.keyboard.press("ArrowRight")
        phone.get_by_role("button", name="plum").click()
        phone.get_by_label("Another word").fill("wet slate")
        phone.keyboard.press("Enter")
        expect(phone.get_by_role("button", name="wet slate")).to_have_attribute(
            "aria-pressed", "true"
        )
        expect(phone.get_by_text("Everything is saved.")).to_be_visible()
        seat = read_seat(self.app, table.join_code, first_place(table))
        self.assertEqual(seat.remarks[0].words, ["plum", "wet slate"])
        self.assertTrue(all(one.stirred for one in seat.scores))

    def test_odd_ones_preferences_and_orders_are_given_with_a_thumb(self) -> None:
        odd = self.start(kind="triangle", rounds=2, tasters=("Anna",))
        phone = self.phone(odd, "Anna")
        for number in (1, 2):
            expect(phone.get_by_text(f"Round {number} of 2")).to_be_visible()
            code = phone.get_by_role("region", name="Which one is odd?").get_by_role("button")
            code.first.click()
        expect(phone.get_by_role("heading", name="All done")).to_be_visible()
        pair = self.start(kind="pair", questions=("preferred", "sweetness"), tasters=("Anna",))
        phone = self.phone(pair, "Anna")
        asked = phone.get_by_role("region", name="Which do you prefer?")
        asked.get_by_role("button").first.click()
        phone.get_by_role("button", name="I cannot tell").click()
        expect(phone.get_by_role("heading", name="All done")).to_be_visible()
        rank = self.start(kind="rank", shot_ids=(STEADY, SOAK, FALL), tasters=("Anna",))
        phone = self.phone(rank, "Anna")
        for at, place in enumerate(("2nd", "1st", "2nd")):
            row = phone.get_by_role("group").nth(at)
            row.get_by_role("button", name=place).click()
        expect(phone.get_by_text("Ranked.")).to_be_visible()
        expect(phone.get_by_text("Everything is saved.")).to_be_visible()
        for table, given in ((odd, 2), (pair, 2), (rank, 1)):
            self.assertEqual(read_session(self.app, table.id).seats[0].given, given, table.kind)

    def test_cups_of_unequal_age_are_warned_of_before_and_after(self) -> None:
        table = self.start(lines=("liking",), tasters=("Anna",))
        self.page.goto(f"/taste/together/{table.id}")
        expect(self.page.get_by_text("the older ones will be cooler")).to_be_visible()
        seat = read_seat(self.app, table.join_code, first_place(table))
        for cup in seat.cups:
            said = ScoreSaid(cup=cup.number, warmth="hot", line="liking", points=5)
            say_score(self.app, table.join_code, first_place(table), said)
        self.page.get_by_role("button", name="Close and reveal").click()
        expect(self.page.get_by_text("too different in age")).to_be_visible()

    def test_a_spilt_cup_is_withdrawn_by_its_code_and_leaves_the_phones(self) -> None:
        table = self.start()
        phone = self.phone(table, "Anna")
        code = phone.locator("p.font-mono").inner_text()
        page = self.page
        page.goto(f"/taste/together/{table.id}")
        page.get_by_role("button", name="Withdraw a cup").click()
        page.get_by_label("Its code").fill("000")
        expect(page.get_by_text("takes the code of a cup on this table")).to_be_visible()
        page.get_by_label("Its code").fill(code)
        page.get_by_role("button", name="spilt").click()
        page.get_by_role("button", name="Withdraw it").click()
        expect(page.get_by_role("region", name="Withdrawn cups")).to_contain_text(code)
        expect(phone.get_by_text("0 of 2")).to_be_visible()
        expect(phone.locator("p.font-mono")).not_to_have_text(code)
        page.get_by_role("button", name="Put it back").click()
        expect(phone.get_by_text("0 of 4")).to_be_visible()

    def test_the_serving_sheet_alone_says_which_code_is_what(self) -> None:
        table = self.start()
        self.page.goto(f"/taste/together/{table.id}")
        self.page.get_by_role("link", name="Serving sheet").click()
        for code, shot in self.shot_of(table).items():
            row = self.page.get_by_role("row").filter(has_text=code).first
            name = "Steady nine v1" if shot == STEADY else "Quay fall v3"
            expect(row).to_contain_text(name)
        expect(self.page.get_by_text("Not for tasters to see.")).to_be_visible()

    def test_a_cup_that_is_not_blind_is_named_with_its_curve(self) -> None:
        table = self.start(blind=False, tasters=("Anna",))
        phone = self.phone(table, "Anna")
        expect(phone.get_by_text(re.compile("Steady nine v1|Quay fall v3"))).to_be_visible()
        expect(phone.locator("main svg path").first).to_be_visible()

    def test_a_taster_named_twice_is_not_added_and_an_unknown_table_says_so(self) -> None:
        self.provokes_refusals = True
        page = self.page
        self.start()
        page.goto("/taste/together")
        page.get_by_role("button", name="Tasters: Anna and Bo").click()
        page.get_by_label("Name of a taster").fill("aNNA")
        expect(page.get_by_role("button", name="Add", exact=True)).to_be_disabled()
        page.goto("/table/nobody")
        expect(page.get_by_role("alert")).to_contain_text("no tasting with the code nobody")

    def test_every_page_of_it_is_without_barriers(self) -> None:
        table = self.start()
        for path in (
            "/taste/together", f"/taste/together/{table.id}", f"/taste/together/{table.id}/serving",
            f"/table/{table.join_code}/{table.seats[0].taster_id}#{table.seats[0].secret}",
        ):  # fmt: skip
            with self.subTest(path):
                self.page.goto(path)
                expect(self.page.get_by_role("heading", level=1)).to_be_visible()
                self.assertEqual(self.violations(self.page), [])
