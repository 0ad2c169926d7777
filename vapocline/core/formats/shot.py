"""One shot whole, as it is exchanged: `vapocline/shot` documents."""

from __future__ import annotations

import math
from datetime import datetime
from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, StringConstraints, model_validator
from pydantic_core import PydanticCustomError

from vapocline.core.base.arrays import Floats
from vapocline.core.base.document import Document, Name, Versioned, nested_parts_changed
from vapocline.core.learn.logged import LoggedShot, void_because
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.plan import Plan
from vapocline.core.pull.conditions import Conditions
from vapocline.core.read.reading import Circumstances, read_curve
from vapocline.core.shot.events import Event, steered
from vapocline.core.shot.limits import (
    HEAVIEST_G,
    LEAST_ML_S,
    LIGHTEST_G,
    LONGEST_S,
    MOST_ML_S,
    MOST_SAMPLES,
)
from vapocline.core.shot.traces import CHANNELS, Traces, cup_flow_ml_s

StoredSeconds = Annotated[float, Field(ge=0, le=LONGEST_S)]
Grams = Annotated[float, Field(ge=LIGHTEST_G, le=HEAVIEST_G)]
Millilitres = Annotated[float, Field(ge=LEAST_ML_S * LONGEST_S, le=MOST_ML_S * LONGEST_S)]
StoredTdsPct = Annotated[float, Field(gt=0, le=30)]
Reason = Annotated[str, StringConstraints(min_length=1, max_length=200)]
SampleColumn = Annotated[tuple[float | None, ...], Field(max_length=MOST_SAMPLES)]


class Channels(Document):
    """Measured channels on one clock, s from pump on; null where nothing was measured, a channel
    left out where it never was."""

    time_s: Annotated[tuple[StoredSeconds, ...], Field(min_length=2, max_length=MOST_SAMPLES)]
    pressure_bar: SampleColumn = ()
    water_in_ml_s: SampleColumn = ()
    cup_g: SampleColumn = ()
    group_c: SampleColumn = ()
    commanded: SampleColumn = ()
    phase: SampleColumn = ()
    by_hand: SampleColumn = ()

    @model_validator(mode="after")
    def _on_one_clock(self) -> Self:
        steps = np.diff(self.time_s)
        if (steps <= 0).any():
            at = int(np.argmax(steps <= 0)) + 1
            raise _refused("time_s", f"{self.time_s[at]} at place {at}", "times that rise")
        for name in CHANNELS:
            values = getattr(self, name, ())
            if values and len(values) != len(self.time_s):
                raise _refused(name, f"{len(values)} values", f"{len(self.time_s)}, or none")
        return self

    def traces(self) -> Traces:
        """The same as arrays."""
        time_s = np.array(self.time_s)

        def channel(values: tuple[float | None, ...], missing: float = math.nan) -> Floats:
            if not values:
                return np.full(time_s.size, missing)
            return np.array([missing if value is None else value for value in values])

        cup_g = channel(self.cup_g)
        return Traces(
            time_s=time_s,
            pressure_bar=channel(self.pressure_bar),
            water_in_ml_s=channel(self.water_in_ml_s),
            cup_out_ml_s=cup_flow_ml_s(time_s, cup_g),
            cup_g=cup_g,
            group_c=channel(self.group_c),
            commanded=channel(self.commanded),
            phase=channel(self.phase, 0.0),
            by_hand=channel(self.by_hand),
        )


class Measured(Document):
    """A shot's figures as they were measured; null is unknown."""

    shot_time_s: StoredSeconds | None = None
    first_drip_s: StoredSeconds | None = None
    yield_g: Grams | None = None
    cup_at_stop_g: Grams | None = None
    peak_pressure_bar: Annotated[float, Field(ge=-1.5, le=30)] | None = None
    water_in_ml: Millilitres | None = None
    tds_pct: StoredTdsPct | None = None


class ShotDocument(Versioned):
    """One shot. `plan` is what was tamped and run, `forecast` what was predicted before it; `bag`
    and `version` tell bags and versions of a profile apart; `set_aside` is why it counts nowhere.
    """

    UPGRADES = (nested_parts_changed,) * 4

    format: Literal["vapocline/shot"] = "vapocline/shot"
    version: Literal[5] = 5
    name: Name = "Shot"
    started_at: datetime | None = None
    plan: Plan
    forecast: Prediction | None = None
    conditions: Conditions | None = None
    by_hand: bool = False
    profile_version: str = ""
    bag: str | None = None
    traces: Channels | None = None
    events: tuple[Event, ...] = ()
    result: Measured = Measured()
    set_aside: Reason | None = None

    def logged(self) -> LoggedShot:
        """As learning takes it, read for what voids it."""
        traces = None if self.traces is None else self.traces.traces()
        conditions = self.conditions
        preparation = None if conditions is None else conditions.preparation
        basket = None if conditions is None else conditions.basket
        return LoggedShot(
            name=self.name,
            plan=self.plan,
            traces=traces,
            shot_time_s=self.result.shot_time_s,
            first_drip_s=self.result.first_drip_s,
            yield_g=self.result.yield_g,
            peak_pressure_bar=self.result.peak_pressure_bar,
            tds_pct=self.result.tds_pct,
            by_hand=self.by_hand,
            steered=steered(self.events),
            version=self.profile_version or self.plan.profile.name,
            bag=self.bag,
            preparation="" if preparation is None else preparation.name,
            basket=basket or "",
            void=self._void(traces),
        )

    def _void(self, traces: Traces | None) -> str | None:
        if self.set_aside is not None:
            return f"it was set aside: {self.set_aside}"
        if traces is None:
            return None
        known = Circumstances(stop_s=self.result.shot_time_s, by_hand=self.by_hand)
        return void_because(read_curve(traces, self.plan, known).findings)


def _refused(field: str, got: str, accepted: str) -> PydanticCustomError:
    ctx = {"field": field, "got": got, "accepted": accepted}
    return PydanticCustomError("channels", "channels", ctx)
