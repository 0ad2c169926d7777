"""Bring a recording in from elsewhere as a shot to read, tidy and compare."""

from __future__ import annotations

from typing import Annotated, Self

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, model_validator
from pydantic_core import PydanticCustomError

from vapocline.core.base.document import Answer, Name
from vapocline.core.base.problems import ConflictError, Problem, Refused
from vapocline.core.formats.registry import CONDITIONS, PLAN, PREDICTION
from vapocline.core.machine.check import machine_problems
from vapocline.core.plan.styles.fit import steady_nine
from vapocline.core.profile.profile import Profile
from vapocline.core.pull.conditions import Conditions, IntendedRecipe
from vapocline.core.read.record import record_of
from vapocline.core.shot.result import result_of
from vapocline.core.shot.traces import CHANNELS, Traces
from vapocline.core.tidy.bring_in import Column, Picture, Sheet, mapped, sheet_of, traced
from vapocline.core.tidy.doubts import ImportDoubt, doubts_of
from vapocline.core.tidy.tidy import TidyAsk, tidy
from vapocline.desk.bench.bench import Bench, read_bench
from vapocline.desk.bench.setup import fresh, plan_for
from vapocline.desk.context import Context
from vapocline.desk.plan.forecast import cached_prediction
from vapocline.desk.plan.profiles import NewProfile, read_version, start_profile
from vapocline.desk.read.shots import ShotLine, ShotTraces, drawn, line_of
from vapocline.store import profiles, shots
from vapocline.store.database import transaction
from vapocline.store.tables import ShotRow
from vapocline.store.unread import ask_to_read

MOST_CSV = 4_000_000
MOST_NAMES = 50


class RecordingToImport(BaseModel):
    """A sheet with its columns mapped, or a traced picture; one of the two."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    csv: Annotated[str, Field(max_length=MOST_CSV)] | None = None
    columns: Annotated[list[Column], Field(max_length=8)] = Field(default_factory=list)
    begins_s: Annotated[float, Field(ge=-600, le=3600)] = 0
    ends_s: Annotated[float, Field(ge=-600, le=3600)] | None = None
    picture: Picture | None = None

    @model_validator(mode="after")
    def _one_of_both(self) -> Self:
        if (self.csv is None) == (self.picture is None):
            taken = {"accepted": "a sheet or a picture", "got": "both or neither"}
            raise PydanticCustomError("recording", "recording", {"field": "csv", **taken})
        return self

    def traces(self) -> Traces:
        """As traces. Raises Refused."""
        if self.picture is not None:
            return traced(self.picture)
        return mapped(self.csv or "", self.columns, self.begins_s, self.ends_s)


class SheetRequest(BaseModel):
    """A text to look at."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    csv: Annotated[str, Field(max_length=MOST_CSV)]


class BroughtIn(RecordingToImport):
    """A recording to keep as a shot: its name, and the saved version it was pulled by, if one."""

    name: Name
    profile_id: int | None = None
    number: int | None = None


class Preview(Answer):
    """The traces as they would be kept, when the pump seems to have stopped, and what seems wrong
    with them."""

    traces: ShotTraces
    stop_s: float | None
    doubts: list[ImportDoubt]


def look_at_sheet(request: SheetRequest) -> Sheet:
    """A text's columns and what they seem to be. Raises Refused."""
    return sheet_of(request.csv)


def preview(recording: RecordingToImport) -> Preview:
    """The traces as they would be kept; nothing is stored. Raises Refused."""
    traces = recording.traces()
    doubts = [] if recording.csv is None else doubts_of(
        traces, recording.columns, recording.begins_s
    )  # fmt: skip
    return Preview(traces=drawn(traces), stop_s=_stop_s(traces), doubts=doubts)


def _stop_s(traces: Traces) -> float | None:
    record = record_of(traces, None)
    return None if record is None else record.stop_s


def bring_in(context: Context, request: BroughtIn) -> ShotLine:
    """Keep a recording as a shot on the bench's set-up.

    Without a version it was pulled by, a profile is made of the recording itself, and its reading
    compares with no plan. Raises Refused, NotFoundError, ConflictError.
    """
    traces = request.traces()
    stop_s = _stop_s(traces)
    if stop_s is None:
        got = f"{traces.time_s.size} moments over {float(traces.time_s[-1]):.1f} s"
        raise Refused([Problem("recording", got, "20 moments or more over 3 s or more")])
    bench = fresh(read_bench(context))
    profile_id, number = _version_of(context, request, bench, traces, stop_s)
    profile = read_version(context, profile_id, number).profile
    plan, _assumed = plan_for(bench, profile, context.resources.members)
    prediction = cached_prediction(plan.model_dump_json(by_alias=True))
    result = result_of(traces, stop_s=stop_s, dose_g=bench.dose_g)
    coffee, grinder = bench.coffee, bench.grinder
    conditions = Conditions(
        simulated=False,
        wired=True,
        weighed=not np.isnan(traces.cup_g).all(),
        basket=None if bench.basket is None else bench.basket.name,
        tamped=plan.setup,
        intended=IntendedRecipe(
            dose_g=bench.dose_g,
            grind_setting=bench.grind_setting,
            dose_tolerance_g=bench.dose_tolerance_g,
        ),
    )
    with transaction(context.sessions) as session:
        row = ShotRow(
            state="done",
            origin="csv" if request.picture is None else "picture",
            plan_known=request.profile_id is not None,
            started_at=context.now(),
            person_id=context.person_id,
            bench_id=context.bench_id,
            version_id=profiles.read_version(session, profile_id, number).id,
            coffee_id=coffee.id if coffee else None,
            grinder_id=grinder.id if grinder else None,
            machine_id=bench.machine.id,
            dose_g=bench.dose_g,
            target_yield_g=bench.yield_g,
            grind_setting=bench.grind_setting,
            rest_days=coffee.rest_days if coffee else None,
            water_c=bench.water_c,
            plan=PLAN.write(plan),
            prediction=PREDICTION.write(prediction),
            conditions=CONDITIONS.write(conditions),
            simulated=False,
            wired=True,
            yield_g=result.yield_g,
            shot_time_s=stop_s,
            first_drip_s=result.first_drip_s,
            full_pressure_s=result.full_pressure_s,
            cup_at_stop_g=result.cup_at_stop_g,
            peak_pressure_bar=result.peak_pressure_bar,
            water_in_ml=result.water_in_ml,
            **{name: getattr(traces, name).tolist() for name in CHANNELS},
        )
        session.add(row)
        session.flush()
        ask_to_read(session)
        return line_of(shots.read_shot(session, row.id))


def _version_of(
    context: Context, request: BroughtIn, bench: Bench, traces: Traces, stop_s: float
) -> tuple[int, int]:
    """The version it was pulled by, or the first of a profile made of the recording."""
    if request.profile_id is not None:
        return request.profile_id, request.number or 1
    profile = _profile_of(request.name, bench, traces, stop_s)
    for again in range(1, MOST_NAMES):
        name = request.name if again == 1 else f"{request.name[:50]} ({again})"
        try:
            made = start_profile(context, NewProfile(name=name, profile=profile))
        except ConflictError:
            continue
        return made.profile_id, made.number
    raise ConflictError(f"There are {MOST_NAMES} profiles of that name.")


def _profile_of(name: str, bench: Bench, traces: Traces, stop_s: float) -> Profile:
    """The recording tidied for the bench's machine; a plain one where it tells too little."""
    weighed = traces.cup_g[~np.isnan(traces.cup_g)]
    cup_g = float(weighed[-1]) if weighed.size else None
    try:
        tidied = tidy(
            traces, bench.machine, TidyAsk(), name=name, stop_s=stop_s, cup_g=cup_g
        ).profile
    except Refused:
        return steady_nine(name, bench.yield_g)
    return steady_nine(name, bench.yield_g) if machine_problems(tidied, bench.machine) else tidied
