"""The real parts that tests run on: one throw-away cluster a run, and a database for each class."""

from __future__ import annotations

import atexit
import contextlib
import dataclasses
import os
import shutil
import socket
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from datetime import datetime
from functools import cache
from itertools import count
from pathlib import Path
from typing import NamedTuple, TypeVar

import psycopg
import uvicorn
from psycopg import sql

from tests.fork_server import ForkServer
from vapocline.cli.serving import EVERYWHERE, listen
from vapocline.demo.world import build
from vapocline.desk.bench.opening import open_bench
from vapocline.desk.context import Context, Resources, Simulators, open_resources
from vapocline.devices import probing
from vapocline.runtime.cluster import running_cluster
from vapocline.runtime.phones import phones_served
from vapocline.runtime.settings import Settings, read_settings
from vapocline.runtime.simulators import simulated_machine, simulators
from vapocline.runtime.startup import application
from vapocline.store.database import migrate

MEMBERS = read_settings("").members  # simulated shots behind a range; `./vapo test` asks for few
PATIENCE_S = 90  # machines are shared: a wait may be long, a failure never comes from being slow
probing.PROBE_WAIT_S = 20.0  # nor a device's
LOOK_S, LOOK_SHARE = 0.02, 0.1  # a look costs too: the longer a wait, the rarer

SAMPLE, SAMPLE_LOCK = "sample_world", 7286299

_open = contextlib.ExitStack()
_not_ours: list[contextlib.ExitStack] = []  # kept, or collecting the garbage would close it all
_numbers = count(1)
Found = TypeVar("Found")


def for_the_run(part: contextlib.AbstractContextManager[Found]) -> Found:
    """Open a part that is kept until the run is over."""
    return _open.enter_context(part)


def close_all() -> None:
    """Stop the cluster and all else that was opened for the whole run."""
    _open.close()


atexit.register(close_all)


def leave_open() -> None:
    """Leave to the run's first process what it opened: a forked worker has copies of it."""
    _not_ours.append(_open.pop_all())


@contextlib.contextmanager
def folder() -> Iterator[Path]:
    """A folder that PostgreSQL's own user can reach, gone afterwards."""
    path = Path(tempfile.mkdtemp(prefix="vapo-"))
    path.chmod(0o755)
    try:
        yield path
    finally:
        shutil.rmtree(path, ignore_errors=True)


class TestCluster(NamedTuple):
    """Where the run's cluster answers: shared by all its processes."""

    sockets: str
    port: int
    url: str


@cache
def cluster() -> TestCluster:
    """The run's cluster, with a migrated database to copy."""
    home = for_the_run(folder())
    started = for_the_run(running_cluster(home / "data", throw_away=True))
    migrate(started.url)
    return TestCluster(str(started.folder / "sock"), started.port, started.url)


@contextlib.contextmanager
def administering() -> Iterator[psycopg.Connection]:
    """A connection of the cluster's own user, outside of any transaction."""
    made = cluster()
    with psycopg.connect(
        host=made.sockets, port=made.port, user="postgres", dbname="postgres", autocommit=True
    ) as connection:
        yield connection


def administer(statement: sql.Composed) -> None:
    """Run one statement as the cluster's own user."""
    with administering() as connection:
        connection.execute(statement)


@cache
def sample_world() -> str:
    """The name of a database that holds the sample world: filled once a run, then copied."""
    with administering() as connection:
        # One process of the run makes it, the others wait.
        connection.execute("select pg_advisory_lock(%s)", [SAMPLE_LOCK])
        there = connection.execute("select 1 from pg_database where datname = %s", [SAMPLE])
        if there.fetchone():
            return SAMPLE
        with resources_on_fresh_database(seed=7) as resources:
            build(resources, lambda _text: None, fortnight=False)
            made = str(resources.engine.url.database)
        connection.execute(
            sql.SQL("alter database {} rename to {}").format(
                sql.Identifier(made), sql.Identifier(SAMPLE)
            )
        )
    return SAMPLE


def fresh_database(template: str = "vapocline") -> str:
    """The URL of a new, migrated database: empty, or a copy of another that nobody is using."""
    made = cluster()
    name = f"test_{_new_name()}"
    administer(
        sql.SQL("create database {} template {} owner vapocline").format(
            sql.Identifier(name), sql.Identifier(template)
        )
    )
    return made.url.rsplit("/", 1)[0] + "/" + name


@contextlib.contextmanager
def resources_on_fresh_database(
    *,
    speed: float = 0.0,
    seed: int = 5,
    template: str = "vapocline",
    instruments: bool = False,
) -> Iterator[Resources]:
    """A database and simulated machines of their own, as fast as they can.

    With `instruments` scales and refractometers stand under them.
    """
    with contextlib.closing(
        open_resources(fresh_database(template), house(seed, speed, instruments), members=MEMBERS)
    ) as resources:
        yield resources


def house(seed: int, speed: float, instruments: bool = False) -> Simulators:
    """Simulated machines of one's own: nobody else of the run meets them."""
    name, processes = _new_name(), lend(seed, speed, instruments)
    own = [address and f"{address}/{name}" for address in dataclasses.astuple(processes)]
    return Simulators(*own)


@contextlib.contextmanager
def context_on_fresh_database(
    *,
    speed: float = 0.0,
    seed: int = 5,
    template: str = "vapocline",
    instruments: bool = False,
) -> Iterator[Context]:
    """The first person at the first bench, over resources of their own."""
    with resources_on_fresh_database(
        speed=speed, seed=seed, template=template, instruments=instruments
    ) as resources:
        yield open_bench(resources)


@contextlib.contextmanager
def context_on_old_database(restore: Callable[[str], None]) -> Iterator[Context]:
    """The first person at the first bench of a database that was restored, then migrated."""
    url = fresh_database("template0")
    restore(url)
    migrate(url)
    with contextlib.closing(open_resources(url, house(5, 0.0), members=MEMBERS)) as resources:
        yield open_bench(resources)


def elsewhere(context: Context, simulators: Simulators) -> Context:
    """The same person and bench as another process on the same database sees them."""
    resources = dataclasses.replace(context.resources, simulators=simulators, recordings={})
    return dataclasses.replace(context, resources=resources)


def at_time(context: Context, now: Callable[[], datetime]) -> Context:
    """The same person and bench at another time."""
    return dataclasses.replace(context, resources=dataclasses.replace(context.resources, now=now))


def url_of(context: Context) -> str:
    """The URL of a context's database."""
    return context.resources.engine.url.render_as_string(hide_password=False)


def _new_name() -> str:
    """One that nothing else in the run has."""
    return f"{os.getpid()}_{next(_numbers)}"


@cache
def shared_simulators(seed: int, speed: float, instruments: bool) -> Simulators:
    """Processes for the whole run: each desk has a house of its own there."""
    if fork_server is not None:
        return fork_server.simulators(seed=seed, speed=speed, instruments=instruments)
    if instruments:
        return for_the_run(simulators(seed=seed, speed=speed, calm=True))
    return Simulators(for_the_run(simulated_machine(seed=seed, speed=speed, calm=True)))


fork_server: ForkServer | None = None  # where a whole run forks its simulators from
lend = shared_simulators  # a worker has the run's first process start them instead


@contextlib.contextmanager
def served(
    context: Context, *, learns: bool = False, at: socket.socket | None = None
) -> Iterator[str]:
    """The application over a real port, one of its own unless it is to listen `at` one; yields its
    address. Unless it `learns`, no forecast changes by itself meanwhile."""
    listener = listen(None) if at is None else at.dup()
    app = application(settings_of(context, learns=learns))
    config = uvicorn.Config(
        app,
        log_level="critical",
        ws="websockets-sansio",
        proxy_headers=False,
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


@contextlib.contextmanager
def served_to_phones(context: Context) -> Iterator[int]:
    """What phones reach, at every address of this machine; yields its port."""
    with (
        contextlib.closing(listen(None, EVERYWHERE)) as listener,
        phones_served(listener, settings_of(context)),
    ):
        yield listener.getsockname()[1]


def settings_of(context: Context, *, learns: bool = False) -> Settings:
    """Settings of another process on a context's database and simulators."""
    simulators = context.resources.simulators
    return Settings(
        database_url=url_of(context),
        members=context.resources.members,
        learns=learns,
        simulated_machine=simulators.machine,
        simulated_scale=simulators.scale,
        simulated_refractometer=simulators.refractometer,
    )


def wait_for(found: Callable[[], Found], what: str, *, patience_s: float = PATIENCE_S) -> Found:
    """Ask until the answer is true, and return it. Raises AssertionError when it never is."""
    began = time.monotonic()
    while (waited := time.monotonic() - began) < patience_s:
        answer = found()
        if answer:
            return answer
        time.sleep(max(LOOK_S, LOOK_SHARE * min(waited, 2.0)))
    raise AssertionError(f"waited {patience_s} s for {what}")
