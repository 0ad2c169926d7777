"""Watch a shot as it runs, from its beginning, however late one comes."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from typing import Any

from vapocline.desk.context import Context
from vapocline.desk.read.shots import read_shot
from vapocline.store.live import LiveNews

LiveFeed = LiveNews


async def follow(context: Context, live: LiveNews, shot_id: int) -> AsyncIterator[dict[str, Any]]:
    """First what is stored, then what comes, to the end. Raises NotFoundError.

    Messages: `{"columns": {...}, "events": [...]}` and, at the end, `{"state": ...}`. Listening
    begins before reading, and every batch is stored before its notice, so nothing is missed; what
    would come twice is cut by its time.
    """
    async with live.watch("shot", shot_id) as queue:
        shot = await asyncio.to_thread(read_shot, context, shot_id)
        known = shot.traces.time_s[-1] if shot.traces.time_s else -1.0
        # Written in one shape, stored or new, so that each is known again.
        sent = [event.written() for event in shot.events]
        yield {"columns": shot.traces.model_dump(), "events": sent}
        if shot.state != "running":
            yield {"state": shot.state}
            return
        while (message := await queue.get()) is not None:
            if "commander" in message:
                yield {"commander": message["commander"]}
                continue
            if "state" in message:
                yield {"state": message["state"]}
                return
            if "gathered" in message:
                shot = await asyncio.to_thread(read_shot, context, shot_id)
                written = [event.written() for event in shot.events]
                message = {"columns": shot.traces.model_dump(), "events": written}
            columns = _after(message.get("columns") or {}, known)
            fresh = [event for event in message.get("events", []) if event not in sent]
            sent = sent + fresh
            if columns.get("time_s"):
                known = columns["time_s"][-1]
            yield {"columns": columns, "events": fresh, "at": message.get("at")}


def _after(columns: dict[str, list[Any]], time_s: float) -> dict[str, list[Any]]:
    """The rows of a batch later than a time."""
    start = sum(t <= time_s for t in columns.get("time_s", []))
    return {name: values[start:] for name, values in columns.items()}
