"""The server of the start command: asked to end in mid shot, it asks back once."""

from __future__ import annotations

import gc
import signal
import socket
import sys
from collections.abc import Callable
from threading import Thread
from types import FrameType

import uvicorn


class Server(uvicorn.Server):
    """Ends on SIGTERM, and on Ctrl-C; while a shot runs, on the second Ctrl-C at a terminal."""

    def __init__(
        self,
        config: uvicorn.Config,
        *,
        running: Callable[[], list[int]],
        stop: Callable[[], None],
        say: Callable[[str], None],
    ) -> None:
        """`running` are the numbers of the shots that run, `stop` stops their pumps."""
        super().__init__(config)
        self._running, self._stop, self._say = running, stop, say
        self._asked = False

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        """See uvicorn.Server. What is loaded by then stays: looking through all of it for garbage
        would hold everything up, the stop too, for a quarter of a second now and then."""
        await super().startup(sockets)
        gc.collect()
        gc.freeze()

    def handle_exit(self, sig: int, frame: FrameType | None) -> None:
        """See uvicorn.Server; called by the signal."""
        shots = [] if self.should_exit else self._running()
        if shots:
            named = ", ".join(str(shot) for shot in shots)
            if sig == signal.SIGINT and sys.stdin.isatty() and not self._asked:
                self._asked = True
                self._say(f"Shot {named} is running. Ctrl-C again stops the pump, saves and ends.")
                return
            self._say(f"Stopping shot {named} and saving it")
            Thread(target=self._stop, name="stop all", daemon=True).start()
        super().handle_exit(sig, frame)
