"""Reading shots without being asked, so that they can be found by what is found on them."""

from __future__ import annotations

import logging

from vapocline.core.base.problems import Refused
from vapocline.desk.context import Resources
from vapocline.desk.read.reading import curve_of
from vapocline.store import shots
from vapocline.store.database import transaction
from vapocline.store.unread import ask_to_read, read_unread

log = logging.getLogger(__name__)
AT_ONCE = 20  # then whatever else waits is done first


def catch_up_reading(resources: Resources) -> None:
    """Ask for reading whatever was pulled before anything read it. Raises UnavailableError."""
    with transaction(resources.sessions) as session:
        if read_unread(session, limit=1):
            ask_to_read(session)


def read_what_is_unread(resources: Resources) -> int:
    """Read the newest shots that nobody has read, and note what was found; how many there were.

    Raises Cancelled, UnavailableError.
    """
    with transaction(resources.sessions) as session:
        unread = read_unread(session, limit=AT_ONCE)
    for shot_id in unread:
        found = _found(resources, shot_id)
        with transaction(resources.sessions) as session:
            shots.read_standing(session, shot_id).findings = found
    catch_up_reading(resources)
    return len(unread)


def _found(resources: Resources, shot_id: int) -> list[str]:
    """The kinds of what is found on a shot; none where its record cannot be read."""
    try:
        findings = curve_of(resources.sessions, shot_id).reading.findings
    except Refused as problem:
        log.info("shot %d is not read: %s", shot_id, type(problem).__name__)
        return []
    return sorted({one.kind for one in findings if one.weight == "finding"})
