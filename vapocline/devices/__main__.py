"""The simulators' own processes: python -m vapocline.devices machine|scale|refractometer."""

from __future__ import annotations

import argparse
import asyncio
import contextlib
import sys
from collections.abc import Coroutine
from typing import Any


async def serve_until_orphaned(serve: Coroutine[Any, Any, None]) -> None:
    """Serve until whoever started us is gone: then our standard input ends."""
    serving = asyncio.create_task(serve)
    gone = asyncio.create_task(asyncio.to_thread(sys.stdin.read))
    await asyncio.wait((serving, gone), return_when=asyncio.FIRST_COMPLETED)
    serving.cancel()
    with contextlib.suppress(asyncio.CancelledError):
        await serving


def main() -> None:
    """Read the command line and serve."""
    words = argparse.ArgumentParser(prog="vapocline.devices", description=__doc__)
    words.add_argument("kind", choices=("machine", "scale", "refractometer"))
    words.add_argument("--port", type=int, default=0, help="0 takes any free port")
    words.add_argument("--seed", type=int, default=1, help="which hidden truths it has")
    words.add_argument("--speed", type=float, default=1.0, help="for tests; 0 is without a clock")
    words.add_argument("--calm", action="store_true", help="for tests: pulls repeat closely")
    words.add_argument("--cups", default="", help="host:port of the machines to stand under")
    given = words.parse_args()
    serve: Coroutine[Any, Any, None]
    if given.kind == "machine":  # the puck model takes a second to load: only where it is needed
        from vapocline.devices.simulators.machine import serve_machines

        serve = serve_machines(port=given.port, seed=given.seed, speed=given.speed, calm=given.calm)
    else:
        from vapocline.devices.simulators.instruments import serve_cups

        serve = serve_cups(kind=given.kind, port=given.port, seed=given.seed, cups=given.cups)
    with contextlib.suppress(KeyboardInterrupt):
        asyncio.run(serve_until_orphaned(serve))


if __name__ == "__main__":
    main()
