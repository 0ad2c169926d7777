"""What other coffees of the house say of one that was never pulled."""

from __future__ import annotations

import unittest

from vapocline.core.learn.house import LearntOf, Puck, house_knowledge
from vapocline.core.learn.learning import Learning, Parameter
from vapocline.core.puck.knowledge import Knowledge
from vapocline.core.puck.unknowns import BY_NAME, UNKNOWNS


def learning(**means: float) -> Learning:
    """Each unknown named as found, a fifth as unsure as before."""
    named = {name.replace("_", " "): mean for name, mean in means.items()}
    return Learning(
        shots=6,
        counted=[],
        left_out=[],
        outliers=[],
        parameters=[
            Parameter(
                name=one.name,
                level=one.level,
                prior=0.0,
                prior_sd=one.spread,
                value=named.get(one.name, 0.0),
                sd=one.spread / 5 if one.name in named else one.spread,
            )
            for one in UNKNOWNS
        ],
        held_out=None,
        rivals={},
        used=True,
        because="It was tested.",
        knowledge=Knowledge(),
    )


def puck(coffee: int, grinder: int = 1, machine: int = 1, roast: str = "light") -> Puck:
    return Puck(coffee, grinder, machine, roast, "washed")  # type: ignore[arg-type]


class House(unittest.TestCase):
    def test_nothing_is_said_where_nothing_was_learnt(self) -> None:
        self.assertIsNone(house_knowledge(puck(9), []))
        self.assertIsNone(house_knowledge(puck(9), [LearntOf(puck(1), learning())]))

    def test_a_machine_is_the_same_under_another_coffee(self) -> None:
        others = [LearntOf(puck(1), learning(head=0.4))]
        same = house_knowledge(puck(9), others)
        other = house_knowledge(puck(9, machine=2), others)
        assert same
        self.assertGreater(same.of("head").mean, 0.3)
        self.assertLess(same.of("head").sd, 0.5 * BY_NAME["head"].spread)
        self.assertIsNone(other)

    def test_more_coffees_that_agree_say_more_and_ones_that_do_not_say_less(self) -> None:
        def said(*erosions: float) -> Knowledge:
            others = [LearntOf(puck(at), learning(erosion=e)) for at, e in enumerate(erosions)]
            found = house_knowledge(puck(9), others)
            assert found
            return found

        one, three = said(0.2).of("erosion"), said(0.2, 0.2, 0.2).of("erosion")
        split = said(0.3, -0.3, 0.3, -0.3).of("erosion")
        self.assertGreater(three.mean, one.mean)
        self.assertLess(three.sd, one.sd)
        self.assertAlmostEqual(split.mean, 0.0, delta=0.01)

    def test_the_same_coffee_and_roasts_alike_say_more_than_others(self) -> None:
        means = [
            found.of("compaction").mean
            for like in (puck(1, grinder=2), puck(9), puck(9, roast="dark"))
            if (found := house_knowledge(like, [LearntOf(puck(1), learning(compaction=0.3))]))
        ]
        self.assertEqual(len(means), 3)
        self.assertEqual(means, sorted(means, reverse=True))

    def test_what_a_fit_had_from_the_house_is_not_believed_twice(self) -> None:
        before = Parameter(name="head", level="machine", prior=0.3, prior_sd=0.1, value=0.3, sd=0.1)
        plain = learning()
        taught = plain.model_copy(update={"parameters": [before]})
        self.assertIsNone(house_knowledge(puck(9), [LearntOf(puck(1), taught)]))

    def test_knowledge_of_the_house_says_from_how_many(self) -> None:
        others = [LearntOf(puck(at), learning(head=0.4)) for at in range(3)]
        found = house_knowledge(puck(9), others)
        assert found
        self.assertEqual((found.shots, found.others), (0, 3))
