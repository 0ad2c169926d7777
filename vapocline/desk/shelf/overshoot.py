"""What still lands in the cup after a stop, as a machine's own shots say."""

from __future__ import annotations

from sqlalchemy.orm import Session

from vapocline.core.learn.overshoot import Overshoot, SeenStop, overshoot_of
from vapocline.core.machine.machine import Machine
from vapocline.core.puck.answer import Prediction
from vapocline.desk.context import Context
from vapocline.store.database import transaction
from vapocline.store.habits import read_stops

MOST_STOPS = 20


def read_overshoot(context: Context, machine_id: int, machine: Machine) -> Overshoot | None:
    """From the newest stops on a machine; None while there are too few."""
    with transaction(context.sessions) as session:
        return overshoot_on(session, machine_id, machine)


def overshoot_on(session: Session, machine_id: int, machine: Machine) -> Overshoot | None:
    """The same within a transaction."""
    stops = [
        SeenStop(
            one.last_flow_g_s,
            one.drip_g,
            None
            if one.hand_over_g is None or one.last_flow_g_s <= 0
            else one.hand_over_g / one.last_flow_g_s,
        )
        for one in read_stops(session, machine_id, limit=MOST_STOPS)
    ]
    return overshoot_of(stops, machine.after_drip_g)


def expected_drip_g(
    prediction: Prediction, machine: Machine, overshoot: Overshoot | None, *, by_hand: bool = False
) -> float | None:
    """The drips expected after the stop, g: from the machine's own stops, else its calibration,
    else the prediction."""
    if overshoot is not None:
        return round(overshoot.at(_last_flow(prediction), by_hand=by_hand), 2)
    if machine.after_drip_g is not None:
        return machine.after_drip_g
    cup, at_stop = prediction.yield_g.value, prediction.cup_at_stop_g.value
    return None if cup is None or at_stop is None else round(cup - at_stop, 2)


def _last_flow(prediction: Prediction) -> float:
    """The flow into the cup as the shot stops, g/s."""
    series, stop_s = prediction.series, prediction.shot_time_s.value
    if stop_s is None:
        return 0.0
    before = [
        flow for at, flow in zip(series.time_s, series.cup_out_ml_s, strict=True) if at <= stop_s
    ]
    return before[-1] if before else 0.0
