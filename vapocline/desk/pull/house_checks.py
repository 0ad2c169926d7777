"""The house's start checks: read, changed, and which of them are asked before a pull."""

from __future__ import annotations

from sqlalchemy.orm import Session

from vapocline.core.pull.house_checks import (
    HouseChecks,
    KeptLine,
    PullMoment,
    check_house_checks,
)
from vapocline.desk.bench.bench import Bench
from vapocline.desk.context import Context
from vapocline.store import house, shots
from vapocline.store.database import transaction
from vapocline.store.tables import CheckLineRow


def read_house_checks(context: Context) -> HouseChecks:
    """What the house asks."""
    with transaction(context.sessions) as session:
        return _plain(house.read_checks(session))


def choose_house_checks(context: Context, chosen: HouseChecks) -> HouseChecks:
    """Ask these from now on. Raises Refused."""
    check_house_checks(chosen)
    rows = [CheckLineRow(ours=check, asked=when) for check, when in chosen.when.items()]
    rows += [CheckLineRow(words=one.words, after=one.after, asked=one.when) for one in chosen.own]
    with transaction(context.sessions) as session:
        house.write_checks(session, rows)
        return _plain(house.read_checks(session))


def _plain(rows: list[CheckLineRow]) -> HouseChecks:
    own = [one for one in rows if one.words is not None]
    return HouseChecks.model_validate(
        {
            "when": {one.ours: one.asked for one in rows if one.ours is not None},
            "own": [{"words": one.words, "after": one.after, "when": one.asked} for one in own],
        }
    )


def kept_lines(session: Session) -> tuple[HouseChecks, list[KeptLine]]:
    """What the house asks, and its own lines with the keys they are confirmed by."""
    rows = house.read_checks(session)
    plain = _plain(rows)
    keys = [f"own-{one.id}" for one in rows if one.words is not None]
    own = [
        KeptLine(check=key, **line.model_dump()) for key, line in zip(keys, plain.own, strict=True)
    ]
    return plain, own


def moment_of(context: Context, session: Session, bench: Bench) -> PullMoment:
    """Whether the bench pulled today, and whether something on it was changed since."""
    last = shots.newest_of_bench(session, context.bench_id)
    if last is None:
        return PullMoment(first_today=True, changed=True)
    began = last.started_at.astimezone(context.now().tzinfo).date()
    before = (
        last.coffee_id, last.bag_id, last.grinder_id, last.machine_id, last.grind_setting,
        last.basket_id, last.preparation_id,
    )  # fmt: skip
    coffee, grinder = bench.coffee, bench.grinder
    now = (
        None if coffee is None else coffee.id,
        coffee.bags[0].id if coffee and coffee.bags else None,
        None if grinder is None else grinder.id,
        bench.machine.id,
        bench.grind_setting,
        bench.basket.id if bench.basket else None,
        bench.preparation.id if bench.preparation else None,
    )
    return PullMoment(first_today=began < context.today(), changed=before != now)
