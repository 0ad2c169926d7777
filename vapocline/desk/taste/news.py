"""News of an open tasting for every page at it."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator

from vapocline.desk.context import Context
from vapocline.desk.taste.seat import read_table
from vapocline.store.live import LiveNews


async def follow_table(
    context: Context, live: LiveNews, join_code: str
) -> AsyncIterator[dict[str, str]]:
    """A message at the beginning, since something may have changed before, and at every change.
    It ends when the watcher fell behind or the connection was lost. Raises NotFoundError.
    """
    table = await asyncio.to_thread(read_table, context, join_code)
    async with live.watch("tasting", table.session_id) as queue:
        yield {"changed": join_code}
        while await queue.get() is not None:
            yield {"changed": join_code}
