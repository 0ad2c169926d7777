"""The bench that comes of five answers: what was said is shelved, what was not stays open."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict
from sqlalchemy import select
from sqlalchemy.orm import Session

from vapocline.core.base.document import Answer
from vapocline.core.base.problems import Problem, Refused
from vapocline.core.begin.answers import Answers, dial_of, machine_of
from vapocline.core.coffee.basket import Basket
from vapocline.core.coffee.coffee import Coffee
from vapocline.core.coffee.grinder import DIAL_SIZE_SPREAD, Grinder
from vapocline.core.machine.machine import REFERENCE
from vapocline.core.plan.start_water import BEGIN_C
from vapocline.core.puck.plan import Setup
from vapocline.desk.begin.forecast import grinds_to_begin_with, solved_style
from vapocline.desk.context import Context
from vapocline.desk.plan.profiles import keep_first
from vapocline.desk.shelf.baskets import shelve_basket
from vapocline.desk.shelf.coffees import shelve_coffee
from vapocline.desk.shelf.connections import refuse_no_address
from vapocline.desk.shelf.grinders import shelve_grinder
from vapocline.desk.shelf.machines import shelve_machine
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.tables import (
    BasketRow,
    BenchRow,
    CoffeeRow,
    GrinderRow,
    MachineRow,
    ProfileRow,
)

NAMED = CoffeeRow | GrinderRow | MachineRow | BasketRow | ProfileRow | BenchRow
WHOLE_STEP = 1.0  # of a dial with clicks
BASKET_MARGIN_G = 2.0  # a basket is made for about so much more or less than it is filled with


class SetUp(BaseModel):
    """What was said, the style to begin with, and whether it is for a bench besides the first."""

    model_config = ConfigDict(extra="forbid")

    answers: Answers
    style: str | None = None
    another: bool = False


class BenchBegun(Answer):
    """The bench that was set up, and the draft to begin with, where a style was chosen."""

    bench_id: int
    profile_id: int | None


class BenchName(Answer):
    """A bench in a list."""

    id: int
    name: str


class Beginning(Answer):
    """Whether this bench has nothing of one's own yet, and every bench there is."""

    empty: bool
    benches: list[BenchName]


def beginning(context: Context) -> Beginning:
    """Whether to begin with the five answers. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        row = shelf.read_bench(session, context.bench_id)
        untouched = row.coffee_id is None and row.grinder_id is None and row.basket_id is None
        empty = untouched and session.scalars(select(ProfileRow.id).limit(1)).first() is None
        benches = session.execute(select(BenchRow.id, BenchRow.name).order_by(BenchRow.id))
        return Beginning(empty=empty, benches=[BenchName(id=i, name=n) for i, n in benches])


def set_up_bench(context: Context, asked: SetUp) -> BenchBegun:
    """Put what was said on the shelf and the bench, all of it or nothing.

    Raises Refused, by the answer's field, for a name that is taken or an address that is none.
    """
    answers = asked.answers
    _refuse_bad_address(answers)
    found = None if asked.style is None else solved_style(context, answers, asked.style)
    # Worked out before the bench is locked, so that nobody waits for it.
    setting = None if found is None else grinds_to_begin_with(answers.grinder, found)[0]
    with transaction(context.sessions) as session:
        _refuse_taken(session, answers)
        bench = _bench(context, session, another=asked.another)
        _shelve(context, session, bench, answers)
        bench.dose_g, bench.yield_g = answers.dose_g, answers.yield_g
        bench.water_c = BEGIN_C["medium" if answers.coffee is None else answers.coffee.roast]
        if answers.grinder is not None:
            bench.grind_setting = answers.grinder.espresso if setting is None else setting
        profile_id = None
        if found is not None:
            name = free_name(session, ProfileRow, found.profile.name)
            document = found.profile.model_copy(update={"name": name})
            milk = answers.drink is not None and answers.drink.milk
            kept = keep_first(session, document, asked.style, "milk" if milk else None)
            profile_id = kept.profile_id
        session.flush()
        return BenchBegun(bench_id=bench.id, profile_id=profile_id)


def _bench(context: Context, session: Session, *, another: bool) -> BenchRow:
    row = shelf.read_bench(session, context.bench_id, lock=True)
    if not another:
        row.puck = row.puck_shot_id = None
        return row
    default = Setup(dose_g=18)
    bench = BenchRow(
        name=free_name(session, BenchRow, "Bench"),
        machine=row.machine,
        dose_g=default.dose_g,
        yield_g=2 * default.dose_g,
        water_c=default.water_c,
    )
    session.add(bench)
    return bench


def _shelve(context: Context, session: Session, bench: BenchRow, answers: Answers) -> None:
    """What was said, on the shelf and on the bench."""
    if (said := answers.machine) is None:
        bench.machine = _simulated(session)
    else:
        machine = machine_of(said)
        name = said.name or free_name(session, MachineRow, "my machine")
        row = shelve_machine(session, machine.model_copy(update={"name": name}))
        row.wired, row.address = said.wired, said.address or None
        bench.machine = row
    if (dial := answers.grinder) is not None:
        settings, sizes = dial_of(dial)
        bench.grinder = shelve_grinder(
            session,
            Grinder(
                name=dial.name or free_name(session, GrinderRow, "my grinder"),
                settings=settings,
                grind_um=sizes,
                size_spread=DIAL_SIZE_SPREAD,
                step=WHOLE_STEP if dial.stepped else None,
            ),
        )
    if (coffee := answers.coffee) is not None:
        name = coffee.name or free_name(session, CoffeeRow, f"a {coffee.roast} coffee")
        known = Coffee(
            name=name, roast=coffee.roast, roasted_on=coffee.roasted_on, bag_g=coffee.bag_g,
            blend=coffee.blend,
        )  # fmt: skip
        bench.coffee = shelve_coffee(session, known, context.now())
    if (basket := answers.basket) is not None:
        name = free_name(session, BasketRow, f"{basket.dose_g:g} g basket")
        filled = Basket(
            name=name,
            diameter_mm=basket.diameter_mm,
            least_g=max(5.0, basket.dose_g - BASKET_MARGIN_G),
            most_g=min(40.0, basket.dose_g + BASKET_MARGIN_G),
        )
        bench.basket, bench.levelled = shelve_basket(session, filled), not basket.weighed


def _simulated(session: Session) -> MachineRow:
    """The simulated machine of pressure and flow, which the forecast was of."""
    there = session.scalars(select(MachineRow).where(MachineRow.name == REFERENCE.name)).first()
    return there or shelve_machine(session, REFERENCE)


def _refuse_bad_address(answers: Answers) -> None:
    if answers.machine is not None and answers.machine.wired and answers.machine.address:
        refuse_no_address("answers.machine.address", answers.machine.address)


def _refuse_taken(session: Session, answers: Answers) -> None:
    """Raise Refused for names that are on the shelf already."""
    tables: dict[str, type[NAMED]] = {
        "machine": MachineRow,
        "grinder": GrinderRow,
        "coffee": CoffeeRow,
    }
    problems = []
    for part, table in tables.items():
        name = getattr(getattr(answers, part), "name", None)
        if name is not None and name in _names(session, table):
            taken = f"another name: a {part} of this one is on the shelf"
            problems.append(Problem(f"answers.{part}.name", f"'{name}'", taken))
    if problems:
        raise Refused(problems)


def free_name(session: Session, table: type[NAMED], wanted: str) -> str:
    """A name that nothing of a kind has: the one wanted, or with the next number."""
    taken = _names(session, table)
    if wanted not in taken:
        return wanted
    return next(name for n in range(2, len(taken) + 3) if (name := f"{wanted} {n}") not in taken)


def _names(session: Session, table: type[NAMED]) -> set[str]:
    return set(session.scalars(select(table.name)))
