"""Pulling the shots of Lantern Quay, on the simulated machine, at the hour they were pulled."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

import numpy as np

from vapocline.core.taste.tasting import Tasting
from vapocline.demo.palates import OWN, tasting
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.context import Context
from vapocline.desk.learn.learning import learn_together
from vapocline.desk.learn.taught import Three
from vapocline.desk.next.next import Taken, read_next, take_change
from vapocline.desk.plan.profiles import (
    NewVersion,
    find_profile,
    read_history,
    read_version,
    save_version,
)
from vapocline.desk.pull.request import PullRequest, Rehearsal
from vapocline.desk.pull.start import pull
from vapocline.desk.read.shots import ShotLine, list_shots, read_shot
from vapocline.desk.read.strength import read_strength
from vapocline.desk.shelf.coffees import list_coffees
from vapocline.desk.shelf.grinders import list_grinders
from vapocline.desk.shelf.machines import list_machines
from vapocline.desk.shelf.preparations import list_preparations
from vapocline.desk.taste.tasting import score

TASTED_AFTER_H = 0.04  # the shot itself and a minute or two


@dataclass(frozen=True)
class SamplePull:
    """One shot: what was pulled on which bench, how long ago, and what came after it.

    `tasting` is written on the barista's own form; with `tasted` a made-up palate scores it, which
    has its strength measured. `follows` is the change, offered by Next after the shot before, that
    was taken: profile, grind and recipe are then that change's. After it, `learn` from all so far.
    `preparation` counts where it is on the shelf.
    """

    hours_ago: float
    profile: str = ""
    version: int = 1
    setting: float = 14.5
    coffee: str = "Ferrow Hill"
    grinder: str = "Ratline"
    machine: str = "Sluice Two"
    dose_g: float = 18.0
    yield_g: float = 36.0
    water_c: float = 93.0
    tasting: Tasting | None = None
    tasted: bool = False
    notes: str = ""
    follows: str | None = None
    learn: bool = False
    rehearse: Rehearsal | None = None
    preparation: str = "Stirred and levelled"


def pull_all(context: Context, pulls: Sequence[SamplePull], already: int = 0) -> None:
    """Pull what is not pulled `already`.

    What is learnt meanwhile is waited for before its coffee is pulled again, so that every forecast
    has learnt from the same shots each time.
    """
    now, learning = context.now(), dict[Three, Future[bool]]()
    with ThreadPoolExecutor(1) as beside:
        for at, one in enumerate(pulls[already:], already):
            of = _together(context, one)
            if of in learning:
                learning.pop(of).result()
            then = ago(context, hours=one.hours_ago, of=now)
            request = _as_offered(then, one) if one.follows else _as_chosen(then, one)
            shot_id = pull(then, request.model_copy(update={"rehearse": one.rehearse}))
            _taste(ago(context, hours=one.hours_ago - TASTED_AFTER_H, of=now), shot_id, one, at)
            if one.learn:
                learning[of] = beside.submit(learn_together, context.resources, of)
        for running in learning.values():
            running.result()


def is_of(shot: ShotLine, one: SamplePull) -> bool:
    """Whether a shot is the one that was to be pulled."""
    return shot.coffee == one.coffee and (
        one.follows is not None or shot.profile_name == one.profile
    )


def ago(context: Context, *, hours: float, of: datetime | None = None) -> Context:
    """The same person and bench so long before a moment, or before now."""
    then = (of or context.now()) - timedelta(hours=hours)
    return replace(context, resources=replace(context.resources, now=lambda: then))


def _as_chosen(then: Context, one: SamplePull) -> PullRequest:
    together = _together(then, one)
    change_bench(
        then,
        BenchChange(
            **together._asdict(),
            grind_setting=one.setting,
            dose_g=one.dose_g,
            yield_g=one.yield_g,
            water_c=one.water_c,
            preparation_id=_way(then, one),
        ),
    )
    return PullRequest(profile_id=find_profile(then, one.profile), number=one.version)


def _way(then: Context, one: SamplePull) -> int | None:
    """How the puck is prepared, where ways of it are on the shelf."""
    return {way.name: way.id for way in list_preparations(then)}.get(one.preparation)


def _as_offered(then: Context, one: SamplePull) -> PullRequest:
    """The change that Next offers after the newest shot, taken as the page takes it.

    Raises ValueError where it is not offered.
    """
    [before] = list_shots(then, limit=1)
    offered = read_next(then, before.id).changes
    change = next((c for c in offered if c.move == one.follows), None)
    if change is None:
        moves = ", ".join(c.move for c in offered)
        raise ValueError(f"{one.follows} is not offered after shot {before.id}: {moves}")
    take_change(then, before.id, Taken(move=change.move, expected=change.expected))
    number = before.number
    if change.profile != read_version(then, before.profile_id, number).profile:
        newest = read_history(then, before.profile_id).newest.number
        draft = NewVersion(based_on=newest, label=change.words, profile=change.profile)
        number = save_version(then, before.profile_id, draft).number
    recipe = {k: v for k, v in change.bench.model_dump().items() if v is not None}
    change_bench(then, BenchChange.model_validate(recipe))
    return PullRequest(profile_id=before.profile_id, number=number)


def _taste(then: Context, shot_id: int, one: SamplePull, at: int) -> None:
    said = one.tasting
    if one.tasted:
        read_strength(then, shot_id)
        shot = read_shot(then, shot_id)
        profile = read_version(then, shot.profile_id, shot.number).profile
        roast = next(c.roast for c in list_coffees(then) if c.name == one.coffee)
        dice = np.random.default_rng([at, 7])
        said = tasting(OWN.scores(shot, profile, roast, dice), one.notes)
    if said is not None:
        score(then, shot_id, said)


def _together(context: Context, one: SamplePull) -> Three:
    """The three by their names."""
    return Three(
        next(c.id for c in list_coffees(context) if c.name == one.coffee),
        next(g.id for g in list_grinders(context) if g.name == one.grinder),
        next(m.id for m in list_machines(context) if m.name == one.machine),
    )
