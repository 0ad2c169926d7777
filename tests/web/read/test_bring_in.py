"""A table and a picture brought in as shots, in the browser."""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import expect

from tests.desk.tidy.test_bring_in import table
from tests.parts import folder
from tests.web.pages import InBrowser

# A white picture to click on: what is traced is where the clicks fall.
PICTURE = (
    '<svg xmlns="http://www.w3.org/2000/svg" width="600" height="400">'
    '<rect width="600" height="400" fill="white"/></svg>'
)


class BringingIn(InBrowser):
    def test_a_table_is_mapped_previewed_and_kept_as_a_shot_to_read(self) -> None:
        page = self.page
        page.goto("/read/bring-in")
        page.get_by_label("Table as text").fill(table())
        page.get_by_role("button", name="Read the table").click()
        row = page.locator("[data-column=bar]")
        expect(row.get_by_role("button", name="bar is: pressure")).to_be_visible()
        expect(
            page.locator("[aria-label='Preview of the shot'] [data-trace=cup_g]")
        ).to_be_visible()
        row.get_by_role("button", name="bar, unit: in bar").click()
        page.get_by_role("option", name="in psi").click()
        expect(row.get_by_role("button", name="bar, unit: in psi")).to_be_visible()
        row.get_by_role("button", name="bar, unit: in psi").click()
        page.get_by_role("option", name="in bar").click()
        page.get_by_label("Name", exact=True).fill("Guest shot")
        page.get_by_role("button", name="Save as a shot").click()
        page.wait_for_url(re.compile(r"/read/\d+$"))
        expect(page.get_by_role("heading", name="Guest shot")).to_be_visible()
        expect(page.get_by_text("brought in from a table")).to_be_visible()
        expect(page.locator("[data-part=verdict]")).to_contain_text("A shot at up to 8")

    def test_numbers_that_are_no_shots_are_asked_about_and_put_right_by_a_press(self) -> None:
        page = self.page
        page.goto("/read/bring-in")
        rows = [f"{n / 10:.1f},{14.5 * min(9, n / 10):.2f},{max(0, n - 90) / 6 - 250:.2f}"
                for n in range(300)]  # fmt: skip
        page.get_by_label("Table as text").fill("\n".join(["time,pressure,cup", *rows]))
        page.get_by_role("button", name="Read the table").click()
        asked = page.get_by_role("list", name="Does this fit?")
        expect(asked).to_contain_text("which is no shot's; in psi it would be 9 bar")
        page.get_by_role("button", name="Read it in psi").click()
        row = page.locator("[data-column=pressure]")
        expect(row.get_by_role("button", name="pressure, unit: in psi")).to_be_visible()
        expect(asked).to_contain_text("The cup begins at -250.0 g")
        page.get_by_role("button", name="Take it off").click()
        expect(asked).to_have_count(0)
        self.assertEqual(self.violations(page), [])

    def test_a_table_that_is_none_says_what_is_wrong(self) -> None:
        self.provokes_refusals = True
        page = self.page
        page.goto("/read/bring-in")
        page.get_by_label("Table as text").fill("nothing")
        page.get_by_role("button", name="Read the table").click()
        expect(page.get_by_role("alert")).to_contain_text("four or more")
        page.get_by_label("Table as text").fill("time,bar\n0,1\n1,bad\n2,3\n3,4")
        page.get_by_role("button", name="Read the table").click()
        expect(page.get_by_text("csv.bar.3")).to_be_visible()
        expect(page.get_by_role("button", name="Save as a shot")).to_be_disabled()

    def test_a_picture_is_traced_by_two_points_an_axis_and_clicks_along_the_line(self) -> None:
        page = self.page
        page.goto("/read/bring-in")
        page.get_by_role("button", name="From a picture").click()
        with folder() as home:
            file = Path(home) / "curve.svg"
            file.write_text(PICTURE)
            page.locator("input[type=file]").set_input_files(str(file))
            sheet = page.locator("[data-part=picture]")
            expect(sheet.get_by_role("img")).to_be_visible()
        step = page.locator("[data-part=step]")
        expect(step).to_contain_text("where 0 s stands")
        for x, y in ((50, 350), (550, 350), (50, 350), (50, 50)):
            sheet.click(position={"x": x, "y": y})
        expect(step).to_contain_text("Click along the pressure line")
        for x, y in ((50, 350), (120, 80), (300, 80), (500, 150), (550, 340)):
            sheet.click(position={"x": x, "y": y})
        expect(step).to_contain_text("5 so far")
        page.keyboard.press("Enter")  # where the cross stands: by the keyboard too
        expect(step).to_contain_text("6 so far")
        page.get_by_role("button", name="Undo a click").click()
        kept = page.locator("[aria-label='Preview of the shot']")
        expect(kept.locator("[data-trace=pressure_bar]")).to_be_visible()
        page.get_by_role("button", name="Save as a shot").click()
        page.wait_for_url(re.compile(r"/read/\d+$"))
        expect(page.get_by_text("brought in from a picture")).to_be_visible()
        expect(page.locator("[data-part=verdict]")).to_contain_text("9.")
