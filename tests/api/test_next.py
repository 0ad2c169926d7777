"""What to change next over HTTP: wishes, chips switched off, taking a change, what is refused."""

from __future__ import annotations

from typing import Any

from tests.api.test_house import Served

SHOT = 6  # of the sample world


class Changes(Served):
    sample_world = True

    def after(self, **asked: Any) -> dict[str, Any]:
        answer = self.client.get(f"/api/shots/{SHOT}/next", params=asked)
        self.assertEqual(answer.status_code, 200, answer.text)
        found: dict[str, Any] = answer.json()
        return found

    def test_a_wish_is_answered_and_a_chip_that_is_off_is_not(self) -> None:
        both = self.after(wished=["thin", "too bitter"])
        self.assertEqual(
            [(chip["trigger"], chip["measured"]) for chip in both["chips"]],
            [("thin", False), ("too bitter", False)],
        )
        asked = {voice["trigger"] for one in both["changes"] for voice in one["voices"]}
        self.assertEqual(asked, {"thin", "too bitter"})
        shorter = next(one for one in both["changes"] if one["move"] == "shorter_drink")
        self.assertEqual(len(shorter["voices"]), 2)
        self.assertLess(shorter["after"]["shot_time_s"], shorter["before"]["shot_time_s"])
        nothing = self.after(off=["nothing wrong"])
        self.assertEqual([chip["trigger"] for chip in nothing["chips"]], ["nothing wrong"])

    def test_everything_that_can_be_wished_for_is_listed(self) -> None:
        triggers = self.client.get("/api/triggers").json()
        self.assertIn("too acidic", {one["trigger"] for one in triggers})
        for one in triggers:
            with self.subTest(one["trigger"]):
                self.assertTrue(self.after(wished=[one["trigger"]])["chips"])

    def test_what_is_not_there_or_not_known_is_refused(self) -> None:
        path = f"/api/shots/{SHOT}/next"
        self.refused(self.client.get(path, params={"wished": ["sour"]}), 422)
        self.refused(self.client.get("/api/shots/99999/next"), 404)
        for wrong in (
            {"move": "harder", "expected": {}},
            {"move": "cooler", "expected": {"sourness": 1}},
            {"move": "cooler", "expected": {"acidity": 1e9}},
            {"move": "cooler"},
        ):
            with self.subTest(wrong=wrong):
                self.refused(self.client.post(f"{path}/taken", json=wrong), 422)
        right = {"move": "cooler", "expected": {"bitterness": -0.6}}
        self.assertEqual(self.client.post(f"{path}/taken", json=right).status_code, 204)
