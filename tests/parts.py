"""The real parts that tests run on: one throw-away cluster a run, and a database for each class."""

from __future__ import annotations

import atexit
import contextlib
import dataclasses
import shutil
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from functools import cache
from itertools import count
from pathlib import Path
from typing import TypeVar

import psycopg
import uvicorn
from psycopg import sql

from vapocline.api.application import create_app
from vapocline.api.settings import Settings
from vapocline.cli import listen
from vapocline.demo.world import build
from vapocline.desk.context import Desk, StandIns, open_desk
from vapocline.desk.running import simulated_machine, stand_ins
from vapocline.store.cluster import Cluster, running_cluster
from vapocline.store.database import migrate

PATIENCE_S = 90  # machines are shared: a wait may be long, a failure never comes from being slow

_open = contextlib.ExitStack()
_numbers = count(1)
Found = TypeVar("Found")


def for_the_run(part: contextlib.AbstractContextManager[Found]) -> Found:
    """Open a part that is kept until the run is over."""
    return _open.enter_context(part)


def close_all() -> None:
    """Stop the cluster and all else that was opened for the whole run."""
    _open.close()


atexit.register(close_all)


@contextlib.contextmanager
def folder() -> Iterator[Path]:
    """A folder that PostgreSQL's own user can reach, gone afterwards."""
    path = Path(tempfile.mkdtemp(prefix="vapo-"))
    path.chmod(0o755)
    try:
        yield path
    finally:
        shutil.rmtree(path, ignore_errors=True)


@cache
def cluster() -> Cluster:
    """The run's cluster, with a migrated database to copy."""
    home = for_the_run(folder())
    started = for_the_run(running_cluster(home / "data", throw_away=True))
    migrate(started.url)
    return started


def administer(statement: sql.Composed) -> None:
    """Run one statement as the cluster's own user, outside of any transaction."""
    made = cluster()
    with psycopg.connect(
        host=str(made.folder / "sock"),
        port=made.port,
        user="postgres",
        dbname="postgres",
        autocommit=True,
    ) as connection:
        connection.execute(statement)


@cache
def sample_world() -> str:
    """The name of a database that holds the sample world: filled once a run, then copied."""
    with desk_on_fresh_database(seed=7) as desk:
        build(desk, lambda _text: None)
        return str(desk.engine.url.database)


def fresh_database(template: str = "vapocline") -> str:
    """The URL of a new, migrated database: empty, or a copy of another that nobody is using."""
    made = cluster()
    name = f"test_{next(_numbers)}"
    administer(
        sql.SQL("create database {} template {} owner vapocline").format(
            sql.Identifier(name), sql.Identifier(template)
        )
    )
    return made.url.rsplit("/", 1)[0] + "/" + name


@contextlib.contextmanager
def desk_on_fresh_database(
    *,
    speed: float = 0.0,
    seed: int = 5,
    template: str = "vapocline",
    instruments: bool = False,
) -> Iterator[Desk]:
    """A desk with a database and simulated machines of its own, as fast as they can.

    With `instruments` scales and refractometers stand under them.
    """
    house = next(_numbers)
    processes = _stand_ins(seed, speed, instruments)
    own = [address and f"{address}/{house}" for address in dataclasses.astuple(processes)]
    desk = open_desk(fresh_database(template), StandIns(*own))
    try:
        yield desk
    finally:
        desk.engine.dispose()


@cache
def _stand_ins(seed: int, speed: float, instruments: bool) -> StandIns:
    """Processes for the whole run: each desk has a house of its own there."""
    if instruments:
        return for_the_run(stand_ins(seed=seed, speed=speed))
    return StandIns(for_the_run(simulated_machine(seed=seed, speed=speed)))


@contextlib.contextmanager
def served(desk: Desk, url: str) -> Iterator[str]:
    """The application over a real port; yields its address."""
    listener = listen(None)
    config = uvicorn.Config(
        create_app(
            Settings(
                database_url=url,
                simulated_machine=desk.stand_ins.machine,
                simulated_scale=desk.stand_ins.scale,
                simulated_refractometer=desk.stand_ins.refractometer,
            )
        ),
        log_level="critical",
        ws="websockets-sansio",
        timeout_graceful_shutdown=2,
    )
    server = uvicorn.Server(config)
    thread = threading.Thread(target=server.run, kwargs={"sockets": [listener]}, daemon=True)
    thread.start()
    try:
        wait_for(lambda: server.started, "the server to start")
        yield f"http://127.0.0.1:{listener.getsockname()[1]}"
    finally:
        server.should_exit = True
        thread.join(PATIENCE_S)
        listener.close()


def wait_for(found: Callable[[], Found], what: str) -> Found:
    """Ask until the answer is true, and return it. Raises AssertionError when it never is."""
    until = time.monotonic() + PATIENCE_S
    while time.monotonic() < until:
        answer = found()
        if answer:
            return answer
        time.sleep(0.02)
    raise AssertionError(f"waited {PATIENCE_S} s for {what}")
