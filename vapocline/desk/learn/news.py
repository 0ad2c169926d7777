"""News of what is being learnt and was learnt, for every page of the house."""

from __future__ import annotations

from collections.abc import AsyncIterator
from typing import Any

from sqlalchemy.orm import Session

from vapocline.store.learn import Together
from vapocline.store.live import LiveNews
from vapocline.store.shots import notify

HOUSE = 1  # there is one house to a database


def tell(session: Session, together: Together, *, share: float | None = None) -> None:
    """Say that something is being learnt and how far that has come, or without that it is over;
    with the caller's transaction."""
    notify(session, {"house": HOUSE, "learning": together._asdict() | {"share": share}})


async def follow_house(live: LiveNews) -> AsyncIterator[dict[str, Any]]:
    """Every message, after one at the beginning, since something may have changed before. It ends
    when the watcher fell behind or the connection was lost."""
    async with live.watch("house", HOUSE) as queue:
        yield {"learning": None}
        while (message := await queue.get()) is not None:
            yield {"learning": message["learning"]}
