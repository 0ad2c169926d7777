"""The grind to begin with for a coffee that was never pulled on the bench's grinder and machine, or
not in the basket on the bench."""

from __future__ import annotations

from collections.abc import Sequence
from statistics import median
from typing import NamedTuple

from sqlalchemy.orm import Session

from vapocline.core.base.document import Answer
from vapocline.core.plan.goal import Allowed, Goal, Want, seek
from vapocline.core.plan.grind_range import sizes_that_take
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.plan import reground
from vapocline.core.puck.predict import predict
from vapocline.desk.bench.bench import Bench, grind_size, read_bench
from vapocline.desk.bench.known import known_together, made_of_row
from vapocline.desk.bench.setup import grinds_of, plan_for, setting_of
from vapocline.desk.context import Context
from vapocline.desk.shelf.baskets import basket_of
from vapocline.store import shelf, shots
from vapocline.store.database import transaction
from vapocline.store.habits import PastTime, read_past_times
from vapocline.store.tables import BasketRow

MEMBERS = 64
MOST_PAST, ENOUGH = 40, 2


class FirstGrind(Answer):
    """A setting to begin with, and what 8 in 10 such coffees would need; for a shot of `time_s`, as
    `because` says. `pulled` where only the basket is another than before."""

    pulled: bool
    setting: float
    low: float
    high: float
    grind_um: float
    time_s: float
    because: str


class _Aim(NamedTuple):
    """What the shot time should be, and whose that is."""

    want: Want
    because: str

    @property
    def time_s(self) -> float:
        """One time that would do."""
        ends = [one for one in (self.want.at_least, self.want.at_most) if one is not None]
        return sum(ends) / len(ends) if self.want.at is None else self.want.at


def first_grind(context: Context, profile: Profile) -> FirstGrind | None:
    """What to set for a profile. None where the coffee was last pulled here in the same basket, or
    where nothing says how long its shot should take. Raises Refused where it cannot run."""
    bench = read_bench(context)
    if bench.coffee is None or bench.grinder is None or bench.puck is not None:
        return None
    with transaction(context.sessions) as session:
        if shelf.count_shots_together(session, bench.coffee.id, bench.grinder.id, 1):
            before = _in_last_basket(session, bench)
            return None if before is None else _keeping_time(bench, profile, before)
        past = read_past_times(session, bench.grinder.id, bench.machine.id, limit=MOST_PAST)
    aim = _aim(bench, profile, past)
    return None if aim is None else _solved(bench, profile, aim, pulled=False)


def _in_last_basket(session: Session, bench: Bench) -> Bench | None:
    """The bench with the basket and grind of its coffee's last shot here, where that basket was
    another."""
    assert bench.coffee
    assert bench.grinder
    last = shots.newest_together(session, bench.coffee.id, bench.grinder.id, bench.machine.id)
    if last is None or last.coffee is None or last.grinder is None or last.basket_id is None:
        return None
    if bench.basket is None or bench.basket.id == last.basket_id:
        return None
    basket = basket_of(shelf.read_one(session, BasketRow, last.basket_id))
    made = made_of_row(last)
    _number, known = known_together(session, last.coffee, last.grinder, last.machine, made)
    size = grind_size(bench.grinder, last.grind_setting)
    return bench.model_copy(update={"basket": basket, "knowledge": known, "grind_um": size})


def _keeping_time(bench: Bench, profile: Profile, before: Bench) -> FirstGrind | None:
    """The grind that takes as long as the profile does as the last shot was ground, in its basket;
    None where that is set."""
    assert before.basket
    plan, _assumed = plan_for(before, profile)
    time_s = predict(plan).shot_time_s.value
    if time_s is None:
        return None
    want = Want(figure="shot_time_s", at=round(time_s, 1))
    found = _solved(bench, profile, _Aim(want, f"in {before.basket.name}"), pulled=True)
    return found if found is not None and found.setting != bench.grind_setting else None


def _aim(bench: Bench, profile: Profile, past: Sequence[PastTime]) -> _Aim | None:
    """The bench's own goal, or how long the house's shots take: of this profile and roast, of this
    profile, of this roast."""
    goal = next((want for want in bench.goals if want.figure == "shot_time_s"), None)
    if goal is not None:
        return _Aim(goal, "your goal for the shot time")
    roast = "" if bench.coffee is None else bench.coffee.roast
    grinder = "" if bench.grinder is None else bench.grinder.name
    same = [one for one in past if one.profile == profile.name]
    for found, of in (
        ([one for one in same if one.roast == roast], f"of {profile.name} with {roast} coffees"),
        (same, f"of {profile.name}"),
        ([one for one in past if one.roast == roast], f"of {roast} coffees"),
    ):
        if len(found) >= ENOUGH:
            time_s = median(one.shot_time_s for one in found)
            want = Want(figure="shot_time_s", at=round(time_s, 1))
            return _Aim(want, f"your last {len(found)} shots {of} by {grinder}")
    return None


def _solved(bench: Bench, profile: Profile, aim: _Aim, *, pulled: bool) -> FirstGrind | None:
    plan, _assumed = plan_for(bench, profile)
    low, high = grinds_of(bench)
    goal = Goal(
        plan=plan,
        wants=(aim.want,),
        moves=(Allowed(what="setup.grind_um", low=low, high=high),),
    )
    size = seek(goal).moves[0].after
    ground = reground(plan, size - plan.setup.grind_um).model_copy(update={"members": MEMBERS})
    sizes = [size, *(min(max(one, low), high) for one in sizes_that_take(ground))]
    settings = [setting_of(bench, one) for one in sizes]
    middle, *ends = [one for one in settings if one is not None]
    return FirstGrind(
        pulled=pulled,
        setting=middle,
        low=min(ends),
        high=max(ends),
        grind_um=round(size),
        time_s=round(aim.time_s, 1),
        because=aim.because,
    )
