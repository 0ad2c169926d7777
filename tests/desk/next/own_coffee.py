"""A bench with a coffee and a grinder of its own for every test, and pulls that are tasted."""

from __future__ import annotations

import unittest
from typing import Any, ClassVar

from tests.desk.learn.at_bench import add
from tests.factories import EVERY_CHECK, pressure, profile, seconds
from tests.parts import context_on_fresh_database
from vapocline.core.profile.profile import Profile
from vapocline.core.taste.tasting import Tasting
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.context import Context
from vapocline.desk.plan.profiles import NewProfile, start_profile
from vapocline.desk.pull.request import PullRequest
from vapocline.desk.pull.start import pull
from vapocline.desk.taste.tasting import score

PRESSED = profile(
    pressure(3, name="Soak", kind="pre-infusion", exits=[seconds(6)]),
    pressure(8, name="Press"),
    cup_g=30,
)


class WithOwnCoffee(unittest.TestCase):
    context: Context
    profile_id: int
    starts: ClassVar[NewProfile] = NewProfile(name="Pressed", profile=PRESSED)
    grind_setting: ClassVar[float | None] = None

    @classmethod
    def setUpClass(cls) -> None:
        cls.context = cls.enterClassContext(context_on_fresh_database())
        cls.profile_id = start_profile(cls.context, cls.starts).profile_id

    def setUp(self) -> None:
        self.coffee, grinder = add(self.context, self._testMethodName[5:60])
        change = BenchChange(coffee_id=self.coffee, grinder_id=grinder, water_c=93)
        change_bench(self.context, change)
        if self.grind_setting is not None:
            change_bench(self.context, BenchChange(grind_setting=self.grind_setting))

    def begin(self, name: str, document: Profile) -> int:
        """Another profile."""
        return start_profile(self.context, NewProfile(name=name, profile=document)).profile_id

    def pulled(self, profile_id: int | None = None, **scores: Any) -> int:
        """A shot by the class's profile or another, tasted where there are scores."""
        request = {
            "profile_id": profile_id or self.profile_id, "number": 1, "despite": EVERY_CHECK,
        }  # fmt: skip
        number = pull(self.context, PullRequest.model_validate(request))
        if scores:
            score(self.context, number, Tasting.model_validate(scores))
        return number
