"""A device's line through a port of ours: what passes is counted, and the line can be cut."""

from __future__ import annotations

import contextlib
import json
import socket
import threading


class Proxy:
    """Passes lines on between a desk and a device, each as it comes."""

    def __init__(self, device_port: int) -> None:
        """Listen on a free port of loopback for who wants the device at another."""
        self._device_port = device_port
        self._listener = socket.create_server(("127.0.0.1", 0))
        self.port: int = self._listener.getsockname()[1]
        self._passing = threading.Event()
        self._passing.set()
        self._said: set[int] = set()
        self._lines: list[socket.socket] = []
        threading.Thread(target=self._listen, daemon=True).start()

    def samples(self) -> int:
        """How many different samples the device has said since the last `reset_count`."""
        return len(self._said)

    def reset_count(self) -> None:
        """Reset the count for the next shot."""
        self._said.clear()

    def cut(self) -> None:
        """Stop forwarding without closing the connections, as an unplugged cable does."""
        self._passing.clear()

    def reconnect(self) -> None:
        """Forward again."""
        self._passing.set()

    def close(self) -> None:
        """Hang up everywhere."""
        self._listener.close()
        for line in self._lines:
            line.close()

    def _listen(self) -> None:
        with contextlib.suppress(OSError):
            while True:
                desk, _ = self._listener.accept()
                threading.Thread(target=self._serve, args=(desk,), daemon=True).start()

    def _serve(self, desk: socket.socket) -> None:
        self._passing.wait()
        try:
            device = socket.create_connection(("127.0.0.1", self._device_port))
        except OSError:
            desk.close()
            return
        self._lines += [desk, device]
        for one, other, says in ((desk, device, False), (device, desk, True)):
            threading.Thread(target=self._pass, args=(one, other, says), daemon=True).start()

    def _pass(self, one: socket.socket, other: socket.socket, says: bool) -> None:
        with contextlib.suppress(OSError, ValueError):
            for line in one.makefile("rb"):
                self._passing.wait()
                if says:
                    self._count(line)
                other.sendall(line)
        for end in (one, other):
            with contextlib.suppress(OSError):
                end.shutdown(socket.SHUT_RDWR)

    def _count(self, line: bytes) -> None:
        message = json.loads(line)
        if message.get("is") == "sample":
            self._said.add(message["seq"])
