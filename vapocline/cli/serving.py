"""The application served until Ctrl-C, with everything it needs."""

from __future__ import annotations

import os
import signal
import socket
from contextlib import ExitStack, closing, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from vapocline.cli.commands import printing_errors, say
from vapocline.core.base.problems import VapoclineError

if TYPE_CHECKING:
    import uvicorn
    from fastapi import FastAPI

    from vapocline.desk.context import Resources
    from vapocline.runtime.server import Server
    from vapocline.runtime.settings import Settings

FIRST_PORT = 8417
ELSEWHERE = "192.0.2.1"  # of RFC 5737: nobody's
PORTS_TRIED = 20
OWN_SEED, DEMO_SEED = 1, 128  # of simulated machines; the demo's pucks are off what is assumed
HERE, EVERYWHERE = "127.0.0.1", "0.0.0.0"


@dataclass(frozen=True)
class ServingOptions:
    """What to serve, own data or the demo's, and where."""

    kind: str
    port: int | None = None
    data_dir: Path | None = None
    fresh: bool = False
    phones: bool = False
    phone_port: int | None = None


def end_as_ctrl_c() -> None:
    """Asked to end, or its terminal closed: as Ctrl-C, so that everything is put away."""
    for one in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(one, signal.default_int_handler)


def serve(asked: ServingOptions) -> None:
    """Serve a kind of data, own or demo, until Ctrl-C."""
    end_as_ctrl_c()
    with printing_errors(), ExitStack() as stack:
        # Before anything is touched: they may be taken.
        listener = stack.enter_context(closing(listen(asked.port)))
        phones = None
        if asked.phones:
            behind = listener.getsockname()[1] + 1
            phones = listen(asked.phone_port, EVERYWHERE, first_port=behind)
            stack.enter_context(closing(phones))
        _serve_on(listener, phones, asked)
        say("Stopped.")


def _serve_on(
    listener: socket.socket, phones: socket.socket | None, asked_for: ServingOptions
) -> None:
    import uvicorn

    from vapocline.core.puck.columns import compiled_before
    from vapocline.runtime.data_folder import data_folder
    from vapocline.runtime.phones import phones_served
    from vapocline.runtime.processes import running, start_afresh
    from vapocline.runtime.settings import read_settings
    from vapocline.runtime.startup import application, warm_up

    url = os.environ.get("VAPOCLINE_DATABASE_URL")
    kind, fresh = asked_for.kind, asked_for.fresh
    folder = data_folder(asked_for.data_dir, kind)
    if fresh and url:
        raise VapoclineError("--fresh deletes only Vapocline's own folder, not a database by URL")
    asked = read_settings(url or "")  # before anything is set aside or started
    if fresh and (aside := start_afresh(folder, keep_old=kind == "own")):
        say(f"What was there is now in {aside}")
    if not compiled_before():  # once, not in each process that is started now
        say("Compiling the puck model; later starts find it done")
        warm_up()
    # The same pucks as the sample shots were pulled on.
    with running(folder, url, say, DEMO_SEED if kind == "demo" else OWN_SEED) as parts:
        settings = asked.model_copy(
            update={
                "database_url": parts.database_url,
                "simulated_machine": parts.simulators.machine,
                "simulated_scale": parts.simulators.scale,
                "simulated_refractometer": parts.simulators.refractometer,
                "unsaved_folder": folder / "unsaved",
            }
        )
        if kind == "demo":
            _fill(settings)
        app = application(settings)
        config = uvicorn.Config(
            app,
            log_level="warning",
            log_config=None,  # where everything else is logged
            proxy_headers=False,  # the client is whoever the socket names, not a header
            timeout_graceful_shutdown=3,
            ws="websockets-sansio",
        )
        with ExitStack() as stack:
            if phones is not None:
                stack.enter_context(phones_served(phones, settings))
                there = f"http://{_address_in_network()}:{phones.getsockname()[1]}"
                app.state.phone_address = there
                say(f"Phones in this network find a tasting under {there}/table/")
            here = f"http://127.0.0.1:{listener.getsockname()[1]}"
            say(f"Vapocline is at {here}  (Ctrl-C stops it)")
            stack.enter_context(suppress(KeyboardInterrupt))  # it stops, then raises it again
            _server(config, app).run(sockets=[listener])


def _server(config: uvicorn.Config, app: FastAPI) -> Server:
    """A server that knows of the shots its application records."""
    from vapocline.desk.pull.ending import running_shots, stop_all
    from vapocline.runtime.server import Server

    def resources() -> Resources | None:
        opened = getattr(app.state, "opened", None)
        return None if opened is None else opened.context.resources

    def running() -> list[int]:
        found = resources()
        return [] if found is None else running_shots(found)

    def stop() -> None:
        if (found := resources()) is not None:
            stop_all(found)

    return Server(config, running=running, stop=stop, say=say)


def _fill(settings: Settings) -> None:
    from vapocline.demo.world import build
    from vapocline.desk.context import Simulators, open_resources
    from vapocline.runtime.simulators import simulators

    with simulators(seed=DEMO_SEED, speed=0) as quick:
        resources = open_resources(
            settings.database_url,
            Simulators(quick.machine, refractometer=quick.refractometer),
            members=settings.members,
        )
        try:
            build(resources, say)
        finally:
            resources.close()


def _address_in_network() -> str:
    """This machine's address as others in its network reach it. Nothing is sent to find it."""
    with closing(socket.socket(socket.AF_INET, socket.SOCK_DGRAM)) as probe:
        with suppress(OSError):  # no network at all
            probe.connect((ELSEWHERE, 9))
        address: str = probe.getsockname()[0]
    return "127.0.0.1" if address == "0.0.0.0" else address  # not bound to: compared


def listen(port: int | None, host: str = HERE, *, first_port: int = FIRST_PORT) -> socket.socket:
    """A listening socket: on the asked port, or the first free one. On loopback, unless it is for
    phones."""
    tried = [port] if port is not None else range(first_port, first_port + PORTS_TRIED)
    for number in tried:
        listener = socket.socket()
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind((host, number))
        except (OSError, OverflowError):
            listener.close()
            continue
        listener.listen(128)
        return listener
    option = "--port" if host == HERE else "--phone-port"
    raise VapoclineError(f"Port {tried[0]} is taken or not allowed: name another with {option}")
