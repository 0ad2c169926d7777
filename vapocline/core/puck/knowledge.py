"""What logged shots taught of a coffee by a grinder on a machine, as a value predictions take."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator
from pydantic_core import PydanticCustomError

from vapocline.core.base.arrays import Floats
from vapocline.core.base.document import Document, Versioned
from vapocline.core.puck.unknowns import BY_NAME, UNKNOWNS

Count = Annotated[int, Field(ge=0)]
StandardDeviation = Annotated[float, Field(ge=0, le=2)]
# A model is no puck. Until held-out shots say how far it errs, of ln-permeability (3.5 % of the
# time) and of solids (0.4 points of extraction).
MODEL_SPREAD, MODEL_SOLIDS = 0.05, 0.02
PULL_SPREAD = 0.08  # of ln-permeability from pull to pull, until repeats say


class Learnt(Document):
    """One unknown as far as it is known: how far it lies off what is assumed, and one standard
    deviation. A factor is given by its logarithm."""

    name: str
    mean: Annotated[float, Field(ge=-5, le=5)] = 0.0
    sd: Annotated[float, Field(ge=0, le=5)]

    @model_validator(mode="after")
    def _known_name(self) -> Self:
        if self.name not in BY_NAME:
            ctx = {"field": "name", "got": f"'{self.name}'", "accepted": ", ".join(BY_NAME)}
            raise PydanticCustomError("unknown", "unknown", ctx)
        return self


class Knowledge(Versioned):
    """Where every unknown lies, and how sure that is.

    `correlations` are those of `learnt`, in its order; what is not listed is as little known as
    before any shot. `pull_spread` is how far ln-permeability differs from pull to pull,
    `model_spread` and `model_solids` what the model itself is off, of ln-permeability and of
    solids. `shots` taught it, `strengths` of them with a measured strength; before any of its own
    `others` did, coffees, grinders and machines that were learnt of together.
    """

    format: Literal["vapocline/knowledge"] = "vapocline/knowledge"
    version: Literal[1] = 1
    shots: Count = 0
    strengths: Count = 0
    others: Count = 0
    learnt: tuple[Learnt, ...] = ()
    correlations: tuple[tuple[float, ...], ...] = ()
    pull_spread: StandardDeviation = PULL_SPREAD
    model_spread: StandardDeviation = MODEL_SPREAD
    model_solids: StandardDeviation = MODEL_SOLIDS

    @model_validator(mode="after")
    def _whole(self) -> Self:
        names = [one.name for one in self.learnt]
        twice = next((name for name in names if names.count(name) > 1), None)
        if twice is not None:
            raise _refused("learnt", f"'{twice}' twice", "each unknown once")
        if {len(row) for row in (*self.correlations, self.correlations)} - {len(names)}:
            got = f"{len(self.correlations)} rows"
            raise _refused("correlations", got, f"{len(names)} rows of {len(names)}")
        table = np.array(self.correlations).reshape(len(names), len(names))
        if not (
            np.allclose(np.diag(table), 1, atol=1e-3) and np.allclose(table, table.T, atol=1e-3)
        ):
            raise _refused("correlations", "other numbers", "1 on the diagonal, the same both ways")
        if names and float(np.linalg.eigvalsh(table).min()) < -1e-2:
            raise _refused("correlations", "no possible correlations", "a correlation matrix")
        return self

    def means(self) -> dict[str, float]:
        """How far each unknown lies off what is assumed, by name."""
        return {one.name: one.mean for one in self.learnt}

    def of(self, name: str) -> Learnt:
        """One unknown as far as it is known. Raises KeyError for a name that is none."""
        found = next((one for one in self.learnt if one.name == name), None)
        return found or Learnt(name=name, sd=BY_NAME[name].spread)

    def spread_root(self) -> tuple[list[str], Floats]:
        """The unknowns that move a puck, and a root of their covariance, shape (n, n): standard
        normal numbers times it are one draw of what is left open."""
        names = [one.name for one in UNKNOWNS if one.fields]
        place = {one.name: at for at, one in enumerate(self.learnt)}
        sds = np.array([self.of(name).sd for name in names])
        table = np.eye(len(names))
        held = [i for i, name in enumerate(names) if name in place]
        where = [place[names[i]] for i in held]
        if held:
            own = np.array(self.correlations)
            table[np.ix_(held, held)] = own[np.ix_(where, where)]
        values, vectors = np.linalg.eigh(table)
        root: Floats = sds[:, None] * vectors * np.sqrt(np.maximum(values, 0.0))
        return names, root


def knowledge_of(
    means: Mapping[str, float], covariance: Floats, *, shots: int, strengths: int
) -> Knowledge:
    """Knowledge from means by name and their covariance in the same order."""
    sds = np.sqrt(np.maximum(np.diag(covariance), 1e-12))
    table = np.clip(covariance / np.outer(sds, sds), -1.0, 1.0)
    np.fill_diagonal(table, 1.0)
    return Knowledge(
        shots=shots,
        strengths=strengths,
        learnt=tuple(
            Learnt(name=name, mean=round(mean, 5), sd=round(float(sd), 5))
            for (name, mean), sd in zip(means.items(), sds, strict=True)
        ),
        correlations=tuple(tuple(row) for row in np.round(table, 4).tolist()),
    )


def _refused(field: str, got: str, accepted: str) -> PydanticCustomError:
    ctx = {"field": field, "got": got, "accepted": accepted}
    return PydanticCustomError("unknown", "unknown", ctx)
