"""Lantern Quay: coffees, grinders, machines, profiles and shots of our own invention.

Everything goes through the desk, and the shots are pulled on the simulated machine, so nothing here
is a number that the application could not have come by itself.
"""

from __future__ import annotations

from collections.abc import Callable

from vapocline.demo.profiles import design, design_for_pressure, refine
from vapocline.demo.pulls import ago, is_of, pull_all
from vapocline.demo.tastings import taste_all
from vapocline.demo.things import MACHINES, furnish, settle_in
from vapocline.demo.weeks import FORTNIGHT, LAST_DAYS, THIS_HOUR
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.bench.opening import open_bench
from vapocline.desk.context import Context, Resources
from vapocline.desk.plan.profiles import list_profiles
from vapocline.desk.read.shots import list_shots
from vapocline.desk.shelf.coffees import list_coffees

Say = Callable[[str], None]


def build(resources: Resources, say: Say, *, fortnight: bool = True) -> Context:
    """Make the sample world, or what is missing of it after a start that was cut short; without the
    `fortnight` before the last two days where that is not needed."""
    context = open_bench(resources, "Lantern Quay, bench 1", MACHINES[0])
    if not list_coffees(context):
        say("Making the sample world of Lantern Quay")
        furnish(context)
    if not list_profiles(context):
        design(ago(context, hours=24 * 11))
    older = FORTNIGHT if fortnight else ()
    pulls = (*FORTNIGHT, *LAST_DAYS, *THIS_HOUR) if fortnight else LAST_DAYS
    there = list_shots(context, limit=len(pulls))[::-1]
    if not all(map(is_of, there, pulls)):
        return context  # somebody's own by now, or of an earlier Vapocline: left as it is
    if fortnight and not there:
        settle_in(context)
        design_for_pressure(ago(context, hours=24 * 11))
    if len(there) < len(pulls):
        say(f"Pulling {len(pulls)} sample shots on the simulated machine")
        pull_all(context, older, len(there))
        refine(ago(context, hours=3.5))
        pull_all(context, pulls, max(len(older), len(there)))
        change_bench(context, BenchChange(grind_setting=14.5))
    numbers = [shot.id for shot in reversed(list_shots(context, limit=len(pulls)))]
    taste_all(context, numbers[: len(older)], numbers[len(older) :])
    return context
