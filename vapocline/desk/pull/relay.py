"""Orders for a shot that another process records: handed to it, whose machine it is."""

from __future__ import annotations

import logging

from vapocline.core.base.problems import DeviceError, OrderError, UnavailableError
from vapocline.desk.context import Context, Resources
from vapocline.devices.messages import Order, read_order, written
from vapocline.store import relay

log = logging.getLogger(__name__)
STOP_PATIENCE_S = 2.0  # then the machine is asked directly
PATIENCE_S = 8.0  # an order is sent twice, each waited for


def hand_over(context: Context, shot_id: int, order: Order) -> bool:
    """Have whoever records a shot carry out an order; False where nobody answers.

    Raises OrderError or DeviceError with the machine's own reason.
    """
    is_stop = getattr(order, "do", "") == "stop"
    message = {"shot": shot_id, "order": written(order).decode()}
    return _handed_over(context, message, STOP_PATIENCE_S if is_stop else PATIENCE_S)


def hand_over_closing(context: Context, shot_id: int) -> bool:
    """Have whoever records a shot close its record; False where nobody answers."""
    return _handed_over(context, {"shot": shot_id, "close": True}, PATIENCE_S)


def _handed_over(context: Context, message: relay.RelayedMessage, patience_s: float) -> bool:
    url = context.resources.engine.url.render_as_string(hide_password=False)
    try:
        answer = relay.ask(url, message, patience_s)
    except UnavailableError:
        log.warning("shot %s: an order could not be handed over", message["shot"])
        return False
    if answer is None:
        return False
    if answer.get("refused") is not None:
        raise OrderError(answer["refused"])
    if answer.get("failed") is not None:
        raise DeviceError(answer["failed"])
    return True


def carry_out(resources: Resources, message: relay.RelayedMessage) -> relay.RelayedMessage | None:
    """What another process asks of a shot that is recorded here; None of any other."""
    recording = resources.recordings.get(message.get("shot", 0))
    if recording is None:
        return None
    try:
        if message.get("close"):
            recording.close_by_hand()
        else:
            recording.lanes.order(read_order(message["order"].encode()))
    except OrderError as error:
        return {"refused": str(error)}
    except DeviceError as error:
        return {"failed": str(error)}
    return {}
