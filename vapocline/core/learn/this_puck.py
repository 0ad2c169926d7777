"""The puck of one shot, identified: to run any other profile on it."""

from __future__ import annotations

from vapocline.core.base.problems import Problem, Refused
from vapocline.core.learn.fit import Fit, fit, free_names
from vapocline.core.learn.logged import LoggedShot, counts
from vapocline.core.learn.observed import observed
from vapocline.core.puck.knowledge import Knowledge, Learnt


def identified(shot: LoggedShot, start: Knowledge | None = None) -> Knowledge:
    """Estimate the puck of one shot, starting from what is known of its coffee. Differences from
    pull to pull are part of the estimate, so only the model's own error is left open.

    Raises Refused for a shot that does not count, Cancelled.
    """
    why = counts(shot)
    if why is not None:
        got = f"{shot.name}, which does not count: {why}"
        raise Refused([Problem("shot", got, "a whole pull with a known time and weight")])
    ready = [observed(shot)]
    return _own(fit(ready, start or Knowledge(), free_names(ready)))


def _own(found: Fit) -> Knowledge:
    """The coffee's unknowns, permeability and rate as this pull's own."""
    own = found.sums()[0]
    learnt = tuple(
        one if one.name not in own else _as(one, *own[one.name]) for one in found.knowledge.learnt
    )
    return found.knowledge.model_copy(update={"learnt": learnt, "pull_spread": 0.0})


def _as(one: Learnt, mean: float, sd: float) -> Learnt:
    return one.model_copy(update={"mean": round(mean, 5), "sd": round(sd, 5)})
