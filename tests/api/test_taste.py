"""Tastings over HTTP: set up, said, closed; refused by field; news for every page at a table."""

from __future__ import annotations

import json
from typing import Any

from websockets.exceptions import ConnectionClosed
from websockets.sync.client import connect as connect_socket

from tests.api.test_house import Served
from tests.parts import PATIENCE_S

STEADY, FALL = 1, 5


class Tastings(Served):
    sample_world = True

    def table(self, **said: Any) -> dict[str, Any]:
        setup = {"shot_ids": [STEADY, FALL], "tasters": ["Anna"], "lines": ["liking"]} | said
        answer = self.client.post("/api/tastings", json=setup)
        self.assertEqual(answer.status_code, 201, answer.text)
        table: dict[str, Any] = answer.json()
        return table

    def seat(self, table: dict[str, Any]) -> str:
        """The first taster's place; from now on we sit there."""
        taster = table["seats"][0]
        self.client.headers["Vapocline-Seat"] = taster["secret"]
        return f"/api/tables/{table['join_code']}/seats/{taster['taster_id']}"

    def test_a_tasting_from_set_up_to_what_it_says(self) -> None:
        setup = {"shot_ids": [STEADY, FALL], "tasters": ["Anna"], "kind": "describe"}
        preview = self.client.post("/api/tastings/preview", json=setup).json()
        self.assertEqual(preview["cups"], 2)
        self.assertIn("shown and not judged", preview["prospects"][0])
        table = self.table()
        [line] = self.client.get("/api/tastings", params={"limit": 1}).json()
        self.assertEqual((line["id"], line["tasters"]), (table["id"], ["Anna"]))
        self.assertEqual(line["shots"], ["Steady nine v1", "Quay fall v3"])
        seat = self.seat(table)
        path = f"/api/tastings/{table['id']}"
        self.refused(self.client.get(f"{path}/results"), 409)
        self.refused(self.client.post(f"{path}/close", json={}), 409)
        for cup, points in zip(self.client.get(seat).json()["cups"], (3, 9), strict=True):
            said = {"cup": cup["number"], "warmth": "hot", "line": "liking", "points": points}
            self.assertEqual(self.client.put(f"{seat}/score", json=said).status_code, 204)
        self.assertEqual(self.client.post(f"{path}/close", json={}).json()["state"], "closed")
        for results in (f"{path}/results", f"/api/tables/{table['join_code']}/results"):
            found = self.client.get(results).json()
            self.assertEqual(found["says"][0], "No clear difference.")
            [odds] = found["odds"]
            self.assertAlmostEqual(odds["more"] + odds["alike"] + odds["less"], 1, delta=0.02)
        self.refused(self.client.put(f"{seat}/score", json=said), 409)
        self.assertEqual(self.client.delete(path).status_code, 204)
        self.refused(self.client.get(path), 404)

    def test_what_is_out_of_range_is_refused_by_its_field_and_nothing_is_lost(self) -> None:
        table = self.table()
        seat = self.seat(table)
        cup = self.client.get(seat).json()["cups"][0]["number"]
        good = {"cup": cup, "warmth": "hot", "line": "liking", "points": 6}
        self.client.put(f"{seat}/score", json=good)
        for wrong, field in (
            ({"points": 11}, "points"), ({"points": -1}, "points"), ({"points": 5.5}, "points"),
            ({"warmth": "tepid"}, "warmth"), ({"line": "fizz"}, "line"), ({"line": "body"}, "line"),
            ({"warmth": "cool"}, "warmth"), ({"cup": 9999}, "cup"),
        ):  # fmt: skip
            with self.subTest(wrong):
                answer = self.refused(self.client.put(f"{seat}/score", json=good | wrong), 422)
                self.assertEqual(answer["problems"][0]["field"], field)
        scores = self.client.get(seat).json()["scores"]
        self.assertEqual([one["points"] for one in scores], [6])
        twice = {"shot_ids": [STEADY, FALL], "tasters": ["Anna", "ANNA"]}
        answer = self.refused(self.client.post("/api/tastings", json=twice), 422)
        self.assertEqual(answer["problems"][0]["field"], "tasters")

    def test_a_curve_is_shown_beside_an_open_cup_and_not_a_blind_one(self) -> None:
        for blind, status in ((True, 409), (False, 200)):
            table = self.table(blind=blind)
            cup = self.client.get(self.seat(table)).json()["cups"][0]["number"]
            path = f"/api/tables/{table['join_code']}/cups/{cup}/curve"
            self.assertEqual(self.client.get(path).status_code, status)
        self.refused(self.client.get(f"/api/tables/{table['join_code']}/cups/9999/curve"), 404)

    def test_every_page_at_a_table_hears_that_something_was_said(self) -> None:
        table = self.table()
        address = self.address.replace("http", "ws") + f"/api/tables/{table['join_code']}/live"
        with connect_socket(address) as first, connect_socket(address) as second:
            pages = (first, second)
            for page in pages:
                news = json.loads(page.recv(PATIENCE_S))
                self.assertEqual(news, {"changed": table["join_code"]})
            closing = {"incomplete": True}
            self.client.post(f"/api/tastings/{table['id']}/close", json=closing)
            for page in pages:
                self.assertIn("changed", json.loads(page.recv(PATIENCE_S)))
        with (
            self.assertRaises(ConnectionClosed),
            connect_socket(self.address.replace("http", "ws") + "/api/tables/nobody/live") as none,
        ):
            none.recv(PATIENCE_S)

    def test_milk_thins_a_drink_and_a_strange_amount_is_refused(self) -> None:
        asked = {"tds_pct": 9.0, "yield_g": 36.0, "milk_g": 144.0}
        self.assertEqual(
            self.client.get("/api/in-milk", params=asked).json(),
            {"tds_pct": 1.8, "milk_per_drink": 4.0},
        )
        self.refused(self.client.get("/api/in-milk", params=asked | {"milk_g": 0}), 422)

    def test_a_purpose_is_said_and_stays_with_the_next_version(self) -> None:
        number = self.started("Flat")
        path = f"/api/profiles/{number}/versions"
        said = self.client.put(f"{path}/1/purpose", json={"purpose": "milk"}).json()
        self.assertEqual(said["purpose"], "milk")
        self.refused(self.client.put(f"{path}/1/purpose", json={"purpose": "tea"}), 422)
        self.refused(self.client.put(f"{path}/9/purpose", json={"purpose": "milk"}), 404)
        profile = self.client.get(f"{path}/1").json()["profile"]
        saved = self.client.post(path, json={"based_on": 1, "profile": profile}).json()
        self.assertEqual(saved["purpose"], "milk")
        line = next(p for p in self.client.get("/api/profiles").json() if p["id"] == number)
        self.assertEqual(line["purpose"], "milk")
