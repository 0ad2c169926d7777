"""When the application is to end in mid shot: stop the pumps, save what came, then go."""

from __future__ import annotations

import logging
import time
from concurrent.futures import ThreadPoolExecutor

from vapocline.core.base.problems import DeviceError
from vapocline.desk.context import Resources
from vapocline.desk.pull.recording import Recording
from vapocline.devices.messages import PlainOrder

log = logging.getLogger(__name__)
LAST_DRIPS_S = 30.0  # how long the records of stopped shots are waited for


def running_shots(resources: Resources) -> list[int]:
    """Numbers of the shots recorded here whose pump may run."""
    recorded = list(resources.recordings.values())
    return [one.shot_id for one in recorded if one.stop_s is None]


def stop_all(resources: Resources) -> None:
    """Stop every pump whose shot is recorded here; one that cannot be reached stops by itself."""
    running = [one for one in resources.recordings.values() if one.stop_s is None]
    with ThreadPoolExecutor(max(1, len(running))) as threads:  # none waits for another's machine
        list(threads.map(_stop, running))


def _stop(recording: Recording) -> None:
    try:
        recording.lanes.order(PlainOrder(do="stop"))
    except DeviceError as error:
        log.warning("shot %s could not be stopped: %s", recording.shot_id, error)


def end_recordings(resources: Resources) -> None:
    """Stop every pump and wait until the last drips are kept.

    What takes too long is left as it is, saved so far: the next start takes it up.
    """
    stop_all(resources)
    gives_up_at = time.monotonic() + LAST_DRIPS_S
    for recording in list(resources.recordings.values()):
        recording.over.wait(max(0.0, gives_up_at - time.monotonic()))
