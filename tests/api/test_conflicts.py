"""Two at once, on the shelf, at the bench and over one cup: nothing is lost unsaid."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from typing import Any

from tests.api.test_house import Served
from tests.factories import EVERY_CHECK
from vapocline.desk.pull.request import PullRequest
from vapocline.desk.pull.start import pull

THINGS: dict[str, dict[str, Any]] = {
    "coffees": {"name": "Ferrow Hill", "roast": "light", "note": ""},
    "grinders": {"name": "Ratline", "settings": [8, 24], "grind_um": [214, 446], "note": ""},
    "baskets": {"name": "Straight 18", "note": ""},
    "machines": {"name": "Sluice", "note": ""},
}


class Shelf(Served):
    def test_a_thing_that_changed_meanwhile_is_not_overwritten_and_both_sides_are_told(
        self,
    ) -> None:
        for kind, body in THINGS.items():
            with self.subTest(kind):
                made = self.client.post(f"/api/{kind}", json=body).json()
                path, seen = f"/api/{kind}/{made['id']}", {"If-Match": made["etag"]}
                theirs = self.client.put(path, json=body | {"note": "theirs"}, headers=seen)
                self.assertEqual(theirs.status_code, 200, theirs.text)
                mine = self.client.put(path, json=body | {"note": "mine"}, headers=seen)
                said = self.refused(mine, 409)["detail"]
                self.assertIn("changed elsewhere meanwhile", said)
                self.assertIn("note is 'theirs' there and 'mine' here", said)
                stored = next(
                    x for x in self.client.get(f"/api/{kind}").json() if x["name"] == body["name"]
                )
                self.assertEqual(stored["note"], "theirs")
                again = {"If-Match": stored["etag"]}
                mine = self.client.put(path, json=body | {"note": "mine"}, headers=again)
                self.assertEqual((mine.status_code, mine.json()["note"]), (200, "mine"))
                without = self.client.put(path, json=body)
                self.assertEqual(without.status_code, 200, "asked without care, the last counts")

    def test_a_new_bag_and_a_calibration_are_changes_too(self) -> None:
        made = self.client.post("/api/coffees", json={"name": "Bagged", "roast": "dark"}).json()
        path, seen = f"/api/coffees/{made['id']}", {"If-Match": made["etag"]}
        self.client.post(f"{path}/bags", json={"bag_g": 250})
        late = self.client.put(path, json={"name": "Bagged", "roast": "light"}, headers=seen)
        self.assertIn("bag g is 250.0 there and nothing here", self.refused(late, 409)["detail"])


class Bench(Served):
    def test_a_word_that_changed_meanwhile_is_not_overwritten(self) -> None:
        first = self.client.patch("/api/bench", json={"dose_g": 18, "water_c": 93}).json()
        seen = {"dose_g": first["dose_g"], "machine_id": first["machine"]["id"]}
        self.client.patch("/api/bench", json={"dose_g": 19, "seen": seen})
        late = self.client.patch("/api/bench", json={"dose_g": 17.5, "seen": seen})
        self.assertIn(
            "The dose was changed elsewhere meanwhile: it is 19 now",
            self.refused(late, 409)["detail"],
        )
        other = self.client.patch("/api/bench", json={"water_c": 90, "seen": {"water_c": 93}})
        self.assertEqual((other.json()["water_c"], other.json()["dose_g"]), (90, 19))

    def test_goals_that_changed_meanwhile_are_not_overwritten(self) -> None:
        mine, theirs = ([{"figure": "shot_time_s", "at": at}] for at in (28, 31))
        self.client.patch("/api/bench", json={"goals": theirs, "seen": {"goals": []}})
        late = self.client.patch("/api/bench", json={"goals": mine, "seen": {"goals": []}})
        said = "The set of goals was changed elsewhere meanwhile: it is shot time s now"
        self.assertIn(said, self.refused(late, 409)["detail"])
        seen = {"goals": self.client.get("/api/bench").json()["goals"]}
        now = self.client.patch("/api/bench", json={"goals": mine, "seen": seen})
        self.assertEqual((now.status_code, now.json()["goals"][0]["at"]), (200, 28))

    def test_a_thing_is_named_in_the_refusal(self) -> None:
        made = self.client.post("/api/machines", json={"name": "Newer"}).json()
        body = {"machine_id": made["id"], "seen": {"machine_id": made["id"] + 1}}
        said = self.refused(self.client.patch("/api/bench", json=body), 409)["detail"]
        self.assertIn("The machine was changed elsewhere meanwhile: it is 'Reference' now", said)


class Cup(Served):
    speed = 0.0

    def test_eight_who_score_one_cup_at_once_are_all_answered_and_the_last_counts(self) -> None:
        number = pull(
            self.context,
            PullRequest(profile_id=self.started("Cup"), number=1, despite=EVERY_CHECK),
        )
        path = f"/api/shots/{number}/tasting"
        with ThreadPoolExecutor(8) as tasters:
            answers = list(
                tasters.map(lambda n: self.client.put(path, json={"liking": n}), range(8))
            )
        self.assertEqual({one.status_code for one in answers}, {200}, [one.text for one in answers])
        tastings = self.client.get(f"/api/shots/{number}").json()["tastings"]
        self.assertEqual(len(tastings), 1)
        self.assertIn(tastings[0]["liking"], range(8))
