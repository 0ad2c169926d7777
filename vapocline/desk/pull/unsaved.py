"""What the database would not take: kept in files of the data folder until it does."""

from __future__ import annotations

import logging
import os
from collections.abc import Iterator
from pathlib import Path
from threading import Lock

import orjson
from pydantic import TypeAdapter

from vapocline.core.base.problems import UnavailableError
from vapocline.core.shot.events import Event
from vapocline.desk.context import Resources
from vapocline.store import journal
from vapocline.store.database import transaction
from vapocline.store.journal import Batch, NumberedEvent

log = logging.getLogger(__name__)
SUFFIX = ".unsaved"
UNREADABLE = ".unreadable"
_FILES = Lock()  # only one process works in a data folder
_EVENT: TypeAdapter[Event] = TypeAdapter(Event)


def set_aside(folder: Path, shot_id: int, batch: Batch) -> None:
    """Append a batch to the shot's file, written through to the disk. Raises OSError."""
    folder.mkdir(parents=True, exist_ok=True)
    line = orjson.dumps(
        {
            "recorder": batch.recorder,
            "number": batch.number,
            "columns": batch.columns,
            "events": [one.event.written() for one in batch.events],
            "numbers": [one.number for one in batch.events],
            "heard": batch.heard,
            "made_at": batch.made_at,
        }
    )
    with _FILES, (folder / f"shot-{shot_id}{SUFFIX}").open("ab") as file:
        file.write(line + b"\n")
        file.flush()
        os.fsync(file.fileno())


def take_in(resources: Resources) -> list[int]:
    """Take every file in the data folder into the journal; returns the shots they were of.

    A file that cannot be taken in is set aside under another name and never tried again. Raises
    UnavailableError while the database is away: the files stay.
    """
    taken = []
    folder = resources.unsaved
    for path in sorted(folder.glob(f"shot-*{SUFFIX}")) if folder else []:
        try:
            shot_id = int(path.name.removeprefix("shot-").removesuffix(SUFFIX))
            with _FILES:  # nothing is added to it between reading and removing
                with transaction(resources.sessions) as session:
                    for batch in _batches(path):
                        journal.write(session, shot_id, batch)
                path.unlink()
        except UnavailableError:
            raise
        except Exception:
            log.exception("%s could not be taken in: it is kept as %s", path.name, UNREADABLE)
            path.rename(_unused(path, UNREADABLE))
            continue
        taken.append(shot_id)
    return taken


def _unused(path: Path, suffix: str) -> Path:
    """The path under another suffix, at which nothing is yet."""
    found, number = path.with_suffix(suffix), 1
    while found.exists():
        number += 1
        found = path.with_suffix(f".{number}{suffix}")
    return found


def _batches(path: Path) -> Iterator[Batch]:
    for line in path.read_bytes().splitlines():
        try:
            one = orjson.loads(line)
        except orjson.JSONDecodeError:
            log.warning("%s: a line was cut off and is left out", path.name)
            continue
        events = [_EVENT.validate_python(event) for event in one["events"]]
        numbers = one.pop("numbers", [None] * len(events))  # files of older versions have none
        one["events"] = [NumberedEvent(*both) for both in zip(events, numbers, strict=True)]
        yield Batch(**{"recorder": "", **one})
