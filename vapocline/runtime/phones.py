"""What phones in the house's network reach: a process of its own, which holds nothing but tastings,
so that no guest can hold up the bench, or ask anything of it.

    python -m vapocline.runtime.phones DESCRIPTOR      of the listening socket
"""

from __future__ import annotations

import asyncio
import contextlib
import os
import signal
import socket
import sys
import threading
from collections.abc import AsyncIterator, Iterator
from dataclasses import dataclass, field

import anyio.to_thread
import uvicorn
from fastapi import FastAPI
from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

from vapocline.api.application import LifespanState, create_app
from vapocline.desk.bench.opening import open_bench
from vapocline.desk.context import open_resources
from vapocline.runtime.children import ChildProcess
from vapocline.runtime.logs import log_to
from vapocline.runtime.settings import Settings, read_settings
from vapocline.runtime.supervision import supervised
from vapocline.store.live import LiveNews

REQUEST_S = 20.0  # in which a request comes whole, its body too
MOST_FROM_ONE, MOST_IN_ALL = 40, 400  # connections: of an address, and together
THREADS = 4
LESS_URGENT = 5  # nice: the bench comes first
ENDS_WITHIN_S = 3


@dataclass
class ConnectionLimit:
    """How many connections may be open, of an address and together."""

    most_from_one: int = MOST_FROM_ONE
    most_in_all: int = MOST_IN_ALL
    open: dict[str, set[asyncio.Transport]] = field(default_factory=dict)

    def admits(self, address: str, transport: asyncio.Transport) -> bool:
        """Whether there is room for one more; then it counts until it closes."""
        self.open = {
            one: still
            for one, transports in self.open.items()
            if (still := {other for other in transports if not other.is_closing()})
        }
        own = self.open.setdefault(address, set())
        if len(own) >= self.most_from_one or sum(map(len, self.open.values())) >= self.most_in_all:
            return False
        own.add(transport)
        return True


class PhoneConfig(uvicorn.Config):
    """Settings of the server for phones."""

    def __init__(self, app: FastAPI) -> None:
        """Serve `app`."""
        super().__init__(
            app,
            http=PhoneConnection,
            ws="websockets-sansio",
            log_level="error",
            log_config=None,
            proxy_headers=False,
            timeout_graceful_shutdown=ENDS_WITHIN_S,
        )
        self.connections = ConnectionLimit()


class PhoneConnection(HttpToolsProtocol):
    """A connection of few from its address, and a time limit for each request to arrive."""

    _late: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        """See asyncio.Protocol."""
        super().connection_made(transport)
        assert isinstance(self.config, PhoneConfig)
        if not self.config.connections.admits(self.client[0] if self.client else "", transport):
            transport.abort()
        self._expect(transport)

    def connection_lost(self, exc: Exception | None) -> None:
        """See asyncio.Protocol."""
        self._arrived()
        super().connection_lost(exc)

    def on_message_begin(self) -> None:
        """See HttpToolsProtocol."""
        super().on_message_begin()
        if self._late is None:  # the next request on a connection that is kept
            self._expect(self.transport)

    def on_message_complete(self) -> None:
        """See HttpToolsProtocol."""
        self._arrived()
        super().on_message_complete()

    def handle_websocket_upgrade(self) -> None:
        """See HttpToolsProtocol."""
        self._arrived()
        super().handle_websocket_upgrade()

    def _expect(self, transport: asyncio.Transport) -> None:
        self._late = self.loop.call_later(REQUEST_S, transport.abort)

    def _arrived(self) -> None:
        if self._late is not None:
            self._late.cancel()
            self._late = None


def phone_application(settings: Settings) -> FastAPI:
    """The application for phones on the database that the settings name."""

    @contextlib.asynccontextmanager
    async def opening() -> AsyncIterator[LifespanState]:
        anyio.to_thread.current_default_thread_limiter().total_tokens = THREADS
        resources = open_resources(settings.database_url, members=settings.members)
        context = await asyncio.to_thread(open_bench, resources)
        live = LiveNews(settings.database_url)
        listening = asyncio.create_task(live.listen())
        try:
            yield LifespanState(context, live)
        finally:
            listening.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await listening
            resources.close()

    return create_app(opening, settings.web_folder, settings.host_names(), phones=True)


@contextlib.contextmanager
def phones_served(listener: socket.socket, settings: Settings) -> Iterator[None]:
    """Serve phones on a listening socket, in a process that is started again when it ends."""
    env = {
        "VAPOCLINE_DATABASE_URL": settings.database_url,
        "VAPOCLINE_HOSTS": settings.hosts,
        "VAPOCLINE_WEB_FOLDER": str(settings.web_folder),
    }
    descriptor = listener.fileno()
    words = ["vapocline.runtime.phones", str(descriptor)]
    process = ChildProcess("the server for phones", words, env, [descriptor])
    try:
        process.wait_ready()
        with supervised([process]):
            yield
    finally:
        process.end()


class PhoneServer(uvicorn.Server):
    """Says that it is there once it is."""

    async def startup(self, sockets: list[socket.socket] | None = None) -> None:
        """See uvicorn.Server."""
        await super().startup(sockets)
        print("ready", flush=True)


def main() -> None:
    """Serve until whoever started us is gone: then our standard input ends."""
    log_to(None)
    os.nice(LESS_URGENT)
    settings = read_settings(os.environ["VAPOCLINE_DATABASE_URL"])
    server = PhoneServer(PhoneConfig(phone_application(settings)))

    def end_with_parent() -> None:
        sys.stdin.read()
        server.should_exit = True

    signal.signal(signal.SIGINT, signal.SIG_IGN)
    threading.Thread(target=end_with_parent, daemon=True).start()
    with socket.socket(fileno=int(sys.argv[1])) as listener:
        server.run(sockets=[listener])


if __name__ == "__main__":
    main()
