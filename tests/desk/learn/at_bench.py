"""A bench with a coffee and a grinder of its own for every test, to learn of."""

from __future__ import annotations

from itertools import count

from sqlalchemy import func, select, text
from sqlalchemy.orm import undefer

from tests.desk.pull.test_pull import AtBench
from tests.factories import pressure, profile
from vapocline.core.coffee.coffee import Coffee
from vapocline.core.coffee.grinder import Grinder
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.context import Context
from vapocline.desk.learn.learning import learn_together
from vapocline.desk.shelf.coffees import add_coffee
from vapocline.desk.shelf.grinders import add_grinder
from vapocline.store.database import transaction
from vapocline.store.learn import Together
from vapocline.store.tables import KnowledgeRow

NUMBERS = count()
PRESSED = profile(pressure(8, name="Press"), cup_g=25)
FLAT = profile(pressure(6, name="Press"), cup_g=25)


class AtLearntBench(AtBench):
    def setUp(self) -> None:
        super().setUp()
        coffee = add(self.context, f"Learnt {next(NUMBERS)}")
        change = BenchChange(coffee_id=coffee[0], grinder_id=coffee[1])
        bench = change_bench(self.context, change)
        self.together = Together(*coffee, bench.machine.id)

    def queued(self) -> int:
        with transaction(self.context.sessions) as session:
            found = session.scalar(
                text("select count(*) from procrastinate_jobs where queueing_lock = :name"),
                {"name": "learn " + "-".join(map(str, self.together))},
            )
        return int(found or 0)

    def stored(self) -> list[KnowledgeRow]:
        with transaction(self.context.sessions) as session:
            of_the_coffee = KnowledgeRow.coffee_id == self.together.coffee_id
            query = select(KnowledgeRow).options(undefer(KnowledgeRow.learnt)).where(of_the_coffee)
            return list(session.scalars(query.order_by(KnowledgeRow.id)))

    def learn(self) -> bool:
        return learn_together(self.context.resources, self.together)

    def empty_the_queue(self) -> None:
        with transaction(self.context.sessions) as session:
            session.execute(text("delete from procrastinate_jobs"))


def queued(context: Context) -> int:
    """How many jobs wait or run."""
    with transaction(context.sessions) as session:
        query = "select count(*) from procrastinate_jobs where status in ('todo', 'doing')"
        return int(session.scalar(text(query)) or 0)


def fits_of(context: Context, coffee_id: int) -> int:
    """How often something was learnt of a coffee."""
    with transaction(context.sessions) as session:
        query = select(func.count()).where(KnowledgeRow.coffee_id == coffee_id)
        return int(session.scalar(query) or 0)


def add(context: Context, name: str) -> tuple[int, int]:
    """A coffee and a grinder of a name."""
    coffee = add_coffee(context, Coffee(name=name))
    grinder = add_grinder(context, Grinder(name=name, settings=(0, 10), grind_um=(200, 400)))
    return coffee.id, grinder.id
