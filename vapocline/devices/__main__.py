"""The simulated machine's own process: python -m vapocline.devices."""

from __future__ import annotations

import argparse
import asyncio
import contextlib
import sys

from vapocline.devices.simulated import serve_forever


async def serve_until_orphaned(*, port: int, seed: int, speed: float) -> None:
    """Serve until whoever started us is gone: then our standard input ends."""
    serving = asyncio.create_task(serve_forever(port=port, seed=seed, speed=speed))
    gone = asyncio.create_task(asyncio.to_thread(sys.stdin.read))
    await asyncio.wait((serving, gone), return_when=asyncio.FIRST_COMPLETED)
    serving.cancel()
    with contextlib.suppress(asyncio.CancelledError):
        await serving


def main() -> None:
    """Read the command line and serve."""
    words = argparse.ArgumentParser(prog="vapocline.devices", description=__doc__)
    words.add_argument("--port", type=int, default=0, help="0 takes any free port")
    words.add_argument("--seed", type=int, default=1, help="which hidden truths it has")
    words.add_argument("--speed", type=float, default=1.0, help="for tests; 0 is without a clock")
    given = words.parse_args()
    with contextlib.suppress(KeyboardInterrupt):
        asyncio.run(serve_until_orphaned(port=given.port, seed=given.seed, speed=given.speed))


if __name__ == "__main__":
    main()
