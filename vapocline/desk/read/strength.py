"""Strength and weight of a drink, measured."""

from __future__ import annotations

from contextlib import closing

from pydantic import BaseModel, ConfigDict

from vapocline.core.base.amounts import grams
from vapocline.core.base.problems import ConflictError, DeviceError
from vapocline.core.base.quantities import RANGES, CupG, TdsPct
from vapocline.core.shot.result import result_of
from vapocline.desk.context import Context
from vapocline.desk.read.shots import ShotLine, finished, line_of, stored_traces
from vapocline.desk.shelf.connections import is_simulated, refractometer_address
from vapocline.devices.adapters import open_refractometer
from vapocline.store import shelf, shots, taste
from vapocline.store.database import transaction
from vapocline.store.learn import ask_to_learn
from vapocline.store.tables import ShotRow


class Strength(BaseModel):
    """A measured strength, or None to take all readings back; `again` beside those before."""

    model_config = ConfigDict(extra="forbid")

    tds_pct: TdsPct | None
    again: bool = False


MOST_READINGS = 20


def measure(context: Context, shot_id: int, strength: Strength) -> ShotLine:
    """Note a measured strength, from which the extraction is worked out; read `again`, the mean of
    all readings counts, and their spread gives its error.

    Raises NotFoundError, ConflictError beyond twenty readings.
    """
    with transaction(context.sessions) as session:
        row = shots.read_shot(session, shot_id)
        before = [one.tds_pct for one in row.readings] if strength.again else []
        if len(before) >= MOST_READINGS:
            raise ConflictError(f"Its strength was read {MOST_READINGS} times: that is enough.")
        readings = before if strength.tds_pct is None else [*before, strength.tds_pct]
        taste.write_readings(session, shot_id, readings)
        row.tds_pct = round(sum(readings) / len(readings), 3) if readings else None
        ask_to_learn(session, row)
        session.flush()
        session.expire_all()
        return line_of(shots.read_shot(session, shot_id))


class WeighedYield(BaseModel):
    """What the cup was weighed to by hand, g, or None to take it back."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    yield_g: CupG | None


def weigh(context: Context, shot_id: int, drink: WeighedYield) -> ShotLine:
    """Note what the cup was weighed to by hand, where no scale weighed it.

    Raises NotFoundError, ConflictError while it runs or where a scale weighed it.
    """
    with transaction(context.sessions) as session:
        row = finished(shots.read_shot(session, shot_id))
        if (weighed := scale_weight_g(row)) is not None:
            raise ConflictError(f"The scale weighed this shot: {grams(weighed, 1)}.")
        row.yield_g = drink.yield_g
        ask_to_learn(session, row)
        session.flush()
        return line_of(row)


def scale_weight_g(row: ShotRow) -> float | None:
    """What a scale that followed the shot to its end said last."""
    return result_of(stored_traces(row), stop_s=row.shot_time_s, dose_g=row.dose_g).yield_g


def read_strength(context: Context, shot_id: int) -> ShotLine:
    """Ask the refractometer and note what it read. Raises NotFoundError, DeviceError."""
    with transaction(context.sessions) as session:
        row = shots.read_shot(session, shot_id)
        bench = shelf.read_bench(session, context.bench_id)
        newest_id = shots.newest_on(session, row.machine_id)
        address = refractometer_address(context.resources, bench, row.machine)
    if address is None:
        raise DeviceError("No refractometer is set up for this bench.")
    if is_simulated(row.machine) and newest_id != shot_id:
        raise DeviceError("The cup of this shot is gone: the refractometer has the newest one's.")
    with closing(open_refractometer(address)) as refractometer:
        tds_pct = refractometer.read().tds_pct
    taken = RANGES["tds_pct"]
    if not taken.low <= tds_pct <= taken.high:
        what = f"The refractometer read {tds_pct:g} %, which is no drink's strength"
        raise DeviceError(f"{what} ({taken.low:g} to {taken.high:g} %): clean it, and read again.")
    return measure(context, shot_id, Strength(tds_pct=tds_pct, again=True))
