"""A device that takes every connection and never says a word."""

from __future__ import annotations

import contextlib
import socket
import threading


class BlackHole:
    """Listens on a free port; `held` connections were taken so far."""

    def __init__(self) -> None:
        """Listen."""
        self._listener = socket.create_server(("127.0.0.1", 0), backlog=200)
        self._held: list[socket.socket] = []
        self.address = f"127.0.0.1:{self._listener.getsockname()[1]}"
        threading.Thread(target=self._hold, daemon=True).start()

    @property
    def held(self) -> int:
        """How many connections it took."""
        return len(self._held)

    def close(self) -> None:
        """Let go of all of them."""
        self._listener.close()
        for line in self._held:
            line.close()

    def _hold(self) -> None:
        with contextlib.suppress(OSError):
            while True:
                self._held.append(self._listener.accept()[0])
