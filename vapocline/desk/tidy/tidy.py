"""Tidy a recording into a profile: a stored shot's, or a trace that is brought in."""

from __future__ import annotations

from typing import Annotated, Self

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, model_validator
from pydantic_core import PydanticCustomError

from vapocline.core.base.document import Answer, Name
from vapocline.core.base.problems import Problem, Refused
from vapocline.core.formats.registry import PLAN
from vapocline.core.formats.trace_csv import traces_from_csv
from vapocline.core.machine.check import machine_problems
from vapocline.core.profile.check import profile_problems
from vapocline.core.puck.answer import Prediction
from vapocline.core.shot.result import FIRST_DRIP_G, result_of
from vapocline.core.shot.traces import Traces
from vapocline.core.tidy.tidy import Tidied, TidyAsk, tidy
from vapocline.desk.bench.bench import read_bench
from vapocline.desk.bench.setup import plan_for
from vapocline.desk.context import Context
from vapocline.desk.plan.forecast import cached_prediction
from vapocline.desk.read.shots import ShotTraces, drawn, stored_traces
from vapocline.store import shots
from vapocline.store.database import transaction

MOST_CSV = 4_000_000  # characters


class TidyRequest(BaseModel):
    """What to tidy: a shot by its number, or a trace as CSV; and how."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    shot_id: int | None = None
    csv: Annotated[str, Field(max_length=MOST_CSV)] | None = None
    name: Name = "Tidied"
    ask: TidyAsk = TidyAsk()

    @model_validator(mode="after")
    def _one_of_both(self) -> Self:
        if (self.shot_id is None) == (self.csv is None):
            taken = {"accepted": "either a shot or a trace as CSV", "got": "both or neither"}
            raise PydanticCustomError("tidy", "tidy", {"field": "shot_id", **taken})
        return self


class TidyResult(Answer):
    """The recording, what it was tidied to, and what that should do on the bench.

    `prediction` is None where the bench's machine cannot run it; `refused` then says why.
    """

    tidied: Tidied
    traces: ShotTraces
    first_drip_s: float | None
    stop_s: float | None
    prediction: Prediction | None
    refused: str | None


def tidy_recording(context: Context, request: TidyRequest) -> TidyResult:
    """Tidy for the machine the shot ran on, or the bench's. Raises NotFoundError, Refused."""
    bench = read_bench(context)
    machine = bench.machine
    if request.shot_id is not None:
        with transaction(context.sessions) as session:
            row = shots.read_shot(session, request.shot_id)
            traces, stop_s, cup_g = stored_traces(row), row.shot_time_s, row.cup_at_stop_g
            if np.isnan(traces.pressure_bar).all():
                got = f"shot {row.id}, without a recorded pressure"
                raise Refused([Problem("shot_id", got, "a shot recorded from a connected machine")])
            ran_on = PLAN.read(row.plan).setup.machine
        document = ran_on
    else:
        traces = traces_from_csv(request.csv or "")
        stop_s, cup_g, document = None, _weight(traces), machine
    tidied = tidy(traces, document, request.ask, name=request.name, stop_s=stop_s, cup_g=cup_g)
    prediction, refused = None, None
    problems = profile_problems(tidied.profile) + machine_problems(tidied.profile, machine)
    if problems:
        refused = str(Refused(problems))
    else:
        plan, _assumed = plan_for(bench, tidied.profile)
        prediction = cached_prediction(plan.model_dump_json(by_alias=True))
    drip = result_of(traces, stop_s=stop_s, dose_g=bench.dose_g).first_drip_s
    return TidyResult(
        tidied=tidied,
        traces=drawn(traces),
        first_drip_s=drip,
        stop_s=stop_s if stop_s is not None else float(traces.time_s[-1]),
        prediction=prediction,
        refused=refused,
    )


def _weight(traces: Traces) -> float | None:
    """What the cup held at the end of a trace, where it was weighed."""
    weighed = traces.cup_g[traces.cup_g >= FIRST_DRIP_G]
    return float(weighed[-1]) if weighed.size else None
