"""What is most likely of every unknown, given shots and what was believed before: maximum a
posteriori, with Laplace's approximation of how sure that is."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from typing import Literal, NamedTuple

import numpy as np

from vapocline.core.base.arrays import Floats, Mask
from vapocline.core.learn.logged import LoggedShot
from vapocline.core.learn.observed import COARSE, FINE, Grid, Observed, residuals
from vapocline.core.puck.knowledge import Knowledge, knowledge_of
from vapocline.core.puck.parameters import strength_of
from vapocline.core.puck.ranges import side_by_side
from vapocline.core.puck.unknowns import BY_NAME, UNKNOWNS

STEP = 0.1  # of a prior's standard deviation, for slopes
MOST_ROUNDS, MOST_HALVINGS = 10, 4
CLOSE = 0.01
LONGEST = 2.5  # of a step
PULL = "permeability"  # what every pull has an own share of
PULL_RATE, PULL_RATE_SPREAD = "rate", 0.04  # and of this, where its strength was measured
UNEVEN = "unevenness"
VariantOf = Literal["preparation", "basket"]


class OwnShare(NamedTuple):
    """What each preparation, or each basket, has an own share of, where shots differ in it, and how
    large that may be: one standard deviation of a logarithm, ours."""

    unknown: str
    spread: float


VARIANTS: dict[VariantOf, OwnShare] = {
    "preparation": OwnShare(UNEVEN, 0.35),
    "basket": OwnShare(PULL, 0.12),
}
Made = Mapping[VariantOf, str]  # how a puck was made: which preparation, which basket
OwnShares = Mapping[tuple[VariantOf, str], int]  # where in `Fit.point` the own share of each is


class Fit(NamedTuple):
    """The most likely unknowns of some shots, `start` being what was believed before.

    `names` are the shared unknowns that were free. `point` holds them in standard deviations of
    what was believed before, then each pull's own, then each preparation's and basket's, whose
    places are in `own_share`; `hessian` is that of the loss there, `slopes` and `rests` are each
    shot's weighted Jacobian and residuals. `runs` of the model it took.
    """

    start: Knowledge
    names: tuple[str, ...]
    own_share: OwnShares
    point: Floats
    hessian: Floats
    slopes: tuple[Floats, ...]
    rests: tuple[Floats, ...]
    strengths: tuple[bool, ...]
    runs: int

    @property
    def covariance(self) -> Floats:
        """Laplace's, in the units of `point`."""
        return np.asarray(np.linalg.inv(self.hessian), dtype=np.float64)

    @property
    def knowledge(self) -> Knowledge:
        """What all of its shots taught, of a puck made in whatever way."""
        return self.without(())

    def without(self, left_out: Sequence[int], made: Made | None = None) -> Knowledge:
        """What would have been learnt without some shots, of a puck made in one way: one step of
        Newton's from the fit."""
        point, hessian = self.point, self.hessian
        if left_out:
            hessian = hessian - sum(self.slopes[at].T @ self.slopes[at] for at in left_out)
            pulled = sum(self.slopes[at].T @ self.rests[at] for at in left_out)
            point = point + np.clip(np.linalg.solve(hessian, pulled), -LONGEST, LONGEST)
        covariance = np.asarray(np.linalg.inv(hessian), dtype=np.float64)
        kept = [strength for at, strength in enumerate(self.strengths) if at not in left_out]
        return self._known(point, covariance, kept, self._own_parts(made or {}))

    def of_variant(self, of: VariantOf, name: str) -> tuple[float, float]:
        """What a variant has a share of, off what is assumed, by its logarithm, and its standard
        deviation."""
        found = self.without((), {of: name}).of(VARIANTS[of].unknown)
        return found.mean, found.sd

    def difference(self, of: VariantOf, one: str, other: str) -> tuple[float, float]:
        """How much more of it one variant has than another, by logarithm, and its standard
        deviation."""
        both = [self.own_share[of, one], self.own_share[of, other]]
        way = VARIANTS[of].spread * np.array([1.0, -1.0])
        variance = float(way @ self.covariance[np.ix_(both, both)] @ way)
        return float(way @ self.point[both]), math.sqrt(variance)

    @property
    def varied(self) -> list[VariantOf]:
        """In what the shots differ."""
        return list(dict.fromkeys(of for of, _name in self.own_share))

    def _own_parts(self, made: Made) -> list[_OwnPart]:
        """What the variants of a puck add to what is shared; one that was not fitted may differ as
        far as any."""
        return [
            _OwnPart(
                row=self.names.index(VARIANTS[of].unknown),
                spread=VARIANTS[of].spread,
                at=self.own_share.get((of, made[of])) if of in made else None,
            )
            for of in self.varied
        ]

    def pulls(self) -> list[tuple[float, float]]:
        """Each pull's own ln-permeability off its coffee's, and its standard deviation."""
        sds = np.sqrt(np.diag(self.covariance)) * self.start.pull_spread
        first, shots = len(self.names), len(self.slopes)
        own = self.point[first : first + shots] * self.start.pull_spread
        return list(zip(own.tolist(), sds[first : first + shots].tolist(), strict=True))

    def sums(self) -> list[dict[str, tuple[float, float]]]:
        """Each pull's whole permeability, its coffee's with its own, and its whole rate where its
        strength was measured: mean and standard deviation, which one pull knows better than
        either part."""
        covariance, shots = self.covariance, len(self.slopes)
        found = []
        for at in range(shots):
            own = {PULL: (len(self.names) + at, self.start.pull_spread)}
            if PULL_RATE in self.names and self.strengths[at]:
                own[PULL_RATE] = (len(self.names) + shots + at, PULL_RATE_SPREAD)
            found.append({name: self._sum(name, *one, covariance) for name, one in own.items()})
        return found

    def _sum(self, name: str, own: int, spread: float, covariance: Floats) -> tuple[float, float]:
        """A shared unknown plus a pull's own."""
        before, shared = self.start.of(name), self.names.index(name)
        both, sds = [shared, own], np.array([before.sd, spread])
        mean = before.mean + float(self.point[both] @ sds)
        return mean, float(np.sqrt(sds @ covariance[np.ix_(both, both)] @ sds))

    def _known(
        self,
        point: Floats,
        covariance: Floats,
        strengths: Sequence[bool],
        parts: Sequence[_OwnPart],
    ) -> Knowledge:
        """The free unknowns at a point, the others as believed before."""
        order = [*self.names, *(one.name for one in UNKNOWNS if one.name not in self.names)]
        before = [self.start.of(name) for name in order]
        shared = len(self.names)
        # From standard deviations of what was believed to the unknowns.
        scale = np.zeros((shared, point.size))
        scale[:, :shared] = np.diag([one.sd for one in before[:shared]])
        for part in parts:
            if part.at is not None:
                scale[part.row, part.at] = part.spread
        whole = np.diag([one.sd**2 for one in before])
        whole[:shared, :shared] = scale @ covariance @ scale.T
        for part in parts:
            if part.at is None:
                whole[part.row, part.row] += part.spread**2
        moved = [*(scale @ point), *[0.0] * (len(order) - shared)]
        means = {one.name: one.mean + float(by) for one, by in zip(before, moved, strict=True)}
        return knowledge_of(means, whole, shots=len(strengths), strengths=sum(strengths))


class _OwnPart(NamedTuple):
    """A variant's share of an unknown: the unknown's row, how large it may be, and where its own is
    in `point`, None where it was not fitted."""

    row: int
    spread: float
    at: int | None


class _Problem:
    """The unknowns of a fit as one vector of standard deviations: shared ones, then the pulls',
    then the variants'."""

    def __init__(self, shots: Sequence[Observed], start: Knowledge, names: Sequence[str]) -> None:
        self.shots, self.start, self.names = shots, start, tuple(names)
        self.fixed = {one.name: start.of(one.name).mean for one in UNKNOWNS}
        self.sds = np.array([start.of(name).sd for name in names])
        self.rated = PULL_RATE in names
        self.size = len(names) + len(shots) * (2 if self.rated else 1)
        self.own_share: dict[tuple[VariantOf, str], int] = {}
        for of, variant in VARIANTS.items():
            there = sorted({getattr(one, of) for one in shots})
            if variant.unknown in names and len(there) > 1:
                for name in there:
                    self.own_share[of, name] = self.size
                    self.size += 1
        self.robust = np.concatenate([*(_robust(one) for one in shots), self._may_be_outliers()])
        self.runs = 0

    def own(self, shot: int) -> list[int]:
        """Where a shot's own unknowns are."""
        first = len(self.names) + shot
        rated = self.rated and self.shots[shot].tds_pct is not None
        return [first, first + len(self.shots)] if rated else [first]

    def shares(self, shot: int) -> Iterator[tuple[OwnShare, int]]:
        """What the shot's variants have an own share of, and where that is."""
        for of, variant in VARIANTS.items():
            at = self.own_share.get((of, getattr(self.shots[shot], of)))
            if at is not None:
                yield variant, at

    def _may_be_outliers(self) -> Mask:
        """Which unknowns may be: a pull's own permeability, so that one that ran unlike the others
        pulls less."""
        found = np.zeros(self.size, dtype=bool)
        found[len(self.names) : len(self.names) + len(self.shots)] = True
        return found

    def cost(self, rests: Floats) -> float:
        """Minus the logarithm of how likely it is, but for a constant: soft L1 where robust."""
        squares = rests**2
        loss = np.where(self.robust, 2 * (np.sqrt(1 + squares) - 1), squares)
        return float(loss.sum()) / 2

    def values(self, point: Floats, shot: int) -> dict[str, float]:
        """The unknowns of one shot by name."""
        found = dict(self.fixed)
        for name, z, sd in zip(self.names, point, self.sds, strict=False):
            found[name] += float(z * sd)
        own = self.own(shot)
        found[PULL] += float(point[own[0]]) * self.start.pull_spread
        if len(own) > 1:
            found[PULL_RATE] += float(point[own[1]]) * PULL_RATE_SPREAD
        for variant, at in self.shares(shot):
            found[variant.unknown] += float(point[at]) * variant.spread
        return found

    def of_shot(self, point: Floats, shot: int, grid: Grid) -> Floats:
        self.runs += 1
        return residuals(self.shots[shot], self.values(point, shot), grid)

    def all_residuals(self, point: Floats) -> Floats:
        parts = side_by_side(lambda at: self.of_shot(point, at, FINE), range(len(self.shots)))
        return np.concatenate([*parts, point])

    def jacobian(self, point: Floats) -> Floats:
        """By differences, shot by shot: a shot's own unknowns move no other. Unknowns that move
        the same parameters share one run."""
        tasks = [(at, name) for at in range(len(self.shots)) for name in ("", *self._run_for())]

        def moved(task: tuple[int, str]) -> Floats:
            at, name = task
            values = self.values(point, at)
            if name:
                values[name] += self._step(name)
            self.runs += 1
            return residuals(self.shots[at], values, COARSE)

        found = dict(zip(tasks, side_by_side(moved, tasks), strict=True))
        blocks = []
        for at in range(len(self.shots)):
            base = found[at, ""]
            slope = {name: (found[at, name] - base) / self._step(name) for name in self._run_for()}
            blocks.append(self._block(at, base.size, slope))
        return np.concatenate([*blocks, np.eye(self.size)])

    def _step(self, name: str) -> float:
        return STEP * BY_NAME[name].spread

    def _run_for(self) -> list[str]:
        """The unknowns to run shots for: one of those that move the same parameters."""
        return list(dict.fromkeys(self._stands_for(name) for name in self.names))

    def _stands_for(self, name: str) -> str:
        fields = BY_NAME[name].fields
        return next((one for one in self.names if fields and BY_NAME[one].fields == fields), name)

    def _block(self, at: int, rows: int, slope: Mapping[str, Floats]) -> Floats:
        block = np.zeros((rows, self.size))
        p = self.shots[at].nominal
        for j, name in enumerate(self.names):
            shared = self._stands_for(name)
            block[:, j] = slope[shared] * self.sds[j]
            if name != shared:
                block[:, j] *= strength_of(BY_NAME[name], p) / strength_of(BY_NAME[shared], p)
        own = self.own(at)
        block[:, own[0]] = slope[PULL] * self.start.pull_spread
        if len(own) > 1:
            block[:, own[1]] = slope[PULL_RATE] * PULL_RATE_SPREAD
        for variant, own_at in self.shares(at):
            block[:, own_at] = slope[variant.unknown] * variant.spread
        return block


def made_of(shot: LoggedShot | Observed) -> Made:
    """How a shot's puck was made."""
    return {"preparation": shot.preparation, "basket": shot.basket}


def fit(shots: Sequence[Observed], start: Knowledge, names: Sequence[str]) -> Fit:
    """Fit the named unknowns to shots, from what was believed before. Raises Cancelled."""
    problem = _Problem(shots, start, names)
    point, rests = _descended(problem)
    rests, slopes = _weighed(problem.robust, rests, problem.jacobian(point))
    data = [one.residuals for one in shots]
    edges, measured = np.cumsum(data)[:-1], sum(data)
    return Fit(
        start=start,
        names=problem.names,
        own_share=problem.own_share,
        point=point,
        hessian=slopes.T @ slopes,
        slopes=tuple(np.split(slopes[:measured], edges)),
        rests=tuple(np.split(rests[:measured], edges)),
        strengths=tuple(one.tds_pct is not None for one in shots),
        runs=problem.runs,
    )


def _descended(problem: _Problem) -> tuple[Floats, Floats]:
    """The most likely point and its residuals: Gauss and Newton's method on iteratively reweighted
    squares (Holland and Welsch 1977), a step halved while it leads uphill.

    scipy's least_squares was tried: it scales soft L1 by its second slope too, which is next to
    nothing far out, and took three times the rounds.
    """
    point = np.zeros(problem.size)
    rests = problem.all_residuals(point)
    cost = problem.cost(rests)
    for _round in range(MOST_ROUNDS):
        pulls, slopes = _weighed(problem.robust, rests, problem.jacobian(point))
        step = -np.linalg.solve(slopes.T @ slopes, slopes.T @ pulls)
        step *= min(1.0, LONGEST / float(np.abs(step).max()))
        for _halving in range(MOST_HALVINGS):
            tried = problem.all_residuals(point + step)
            fell = cost - problem.cost(tried)
            if fell > 0:
                break
            step = step / 2
        else:
            break
        point, rests, cost = point + step, tried, cost - fell
        if fell < CLOSE * (1 + cost):
            break
    return point, rests


def _robust(one: Observed) -> Mask:
    """Which residuals of a shot may be outliers: a measured strength counts in full."""
    found = np.ones(one.residuals, dtype=bool)
    if one.tds_pct is not None:
        found[-1] = False
    return found


def _weighed(robust: Mask, rests: Floats, jacobian: Floats) -> tuple[Floats, Floats]:
    """Residuals and Jacobian as soft L1 weighs them."""
    weight = np.where(robust, (1 + rests**2) ** -0.25, 1.0)
    return rests * weight, jacobian * weight[:, None]


def free_names(shots: Sequence[Observed]) -> tuple[str, ...]:
    """What these shots may teach: rates and solids only with a measured strength, gauges only
    where they were recorded."""
    strength = any(one.tds_pct is not None for one in shots)
    recorded = any(one.channels for one in shots)
    return tuple(
        one.name
        for one in UNKNOWNS
        if (strength or not one.needs_strength) and (recorded or one.fields)
    )
