"""How long a stop takes, from the request to the machine's answer, while all else is busy."""

from __future__ import annotations

import contextlib
import subprocess
import sys
import threading
import time
from collections.abc import Iterator

import httpx
from psycopg import sql

from benchmarks.timing import Row
from tests.black_hole import BlackHole
from tests.factories import EVERY_CHECK, pressure, profile
from tests.parts import administer, context_on_fresh_database, sample_world, url_of, wait_for
from vapocline.cli.serving import listen
from vapocline.core.machine.machine import Machine
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.context import Context
from vapocline.desk.plan.profiles import NewProfile, start_profile
from vapocline.desk.shelf.connections import Connections, write_connections
from vapocline.desk.shelf.machines import add_machine, list_machines
from vapocline.store.database import transaction
from vapocline.store.tables import ShotRow

SERVER = """
import sys, uvicorn
from vapocline.runtime.settings import Settings
from vapocline.runtime.startup import application
url, machine, port = sys.argv[1:4]
app = application(Settings(database_url=url, simulated_machine=machine))
uvicorn.run(app, port=int(port), log_level="critical", ws="websockets-sansio")
"""
STOPS = 150
EVERY_S = 0.03
PAUSE_S = 0.3  # between one answer and the next request of the same page
PROBES, PREDICTIONS = 40, 3
LONG = profile(pressure(4, name="Press"), cup_g=None, time_s=280)


def stop_rows() -> list[Row]:
    """Alone; beside probes, predictions and a locked row; then with the database away too."""
    with (
        context_on_fresh_database(speed=1, template=sample_world()) as context,
        _server(context) as address,
        contextlib.closing(BlackHole()) as hole,
    ):
        first, second, third = _started(context, address)
        alone = _stops(address, first)
        silent = add_machine(context, Machine(name="Silent"))
        write_connections(context, silent.id, Connections(machine=hole.address))
        change_bench(context, BenchChange(machine_id=silent.id))
        with _busy(address, hole):
            with transaction(context.sessions) as session:
                session.get(ShotRow, second, with_for_update=True)
                beside = _stops(address, second)
            _take_away(context)
            away = _stops(address, third)
    aim = "in place of p95 the p99; aim 250 or less"
    return [
        _row("stop, nothing else to do", alone, aim),
        _row(f"stop, {PROBES} slow probes, {PREDICTIONS} predictions, row locked", beside, aim),
        _row("stop, the database away besides", away, aim),
    ]


def _started(context: Context, address: str) -> list[int]:
    """A long shot on each of three machines that hold a pressure."""
    shots: list[int] = []
    for machine in list_machines(context):
        change_bench(context, BenchChange(machine_id=machine.id))
        body = _body(context, f"On {machine.name}")
        answer = httpx.post(f"{address}/api/shots", json=body, timeout=90)
        if answer.status_code == httpx.codes.CREATED:
            shots.append(answer.json()["id"])
        if len(shots) == 3:
            return shots
    raise RuntimeError("fewer than three machines pull this")


def _take_away(context: Context) -> None:
    name = str(context.resources.engine.url.database)
    allow = "alter database {} with allow_connections false"
    kick = "select pg_terminate_backend(pid) from pg_stat_activity where datname = {}"
    administer(sql.SQL(allow).format(sql.Identifier(name)))
    administer(sql.SQL(kick).format(sql.Literal(name)))


def _row(name: str, seconds: list[float], aim: str) -> Row:
    ms = sorted(1000 * one for one in seconds)
    return Row(name, ms[len(ms) // 2], ms[round(0.99 * (len(ms) - 1))], "ms", aim)


@contextlib.contextmanager
def _server(context: Context) -> Iterator[str]:
    """The application in a process of its own: ours has the load to make."""
    with contextlib.closing(listen(None)) as free:
        port = free.getsockname()[1]
    machine = str(context.resources.simulators.machine)
    words = [sys.executable, "-c", SERVER, url_of(context), machine, str(port)]
    process = subprocess.Popen(words)
    address = f"http://127.0.0.1:{port}"

    def answers() -> bool:
        with contextlib.suppress(httpx.HTTPError):
            return httpx.get(f"{address}/api/health").status_code == 200
        return False

    try:
        wait_for(answers, "the server")
        yield address
    finally:
        process.kill()
        process.wait()


def _body(context: Context, name: str) -> dict[str, object]:
    made = start_profile(context, NewProfile(name=name, profile=LONG))
    return {"profile_id": made.profile_id, "number": 1, "despite": sorted(EVERY_CHECK)}


@contextlib.contextmanager
def _busy(address: str, hole: BlackHole) -> Iterator[None]:
    """Probes that are never answered and predictions, again and again, from threads of ours."""
    over = threading.Event()
    check = {"profile_id": 1, "number": 1}
    heavy = {"profile": LONG.written(), "members": 1000}
    asked = [("/api/pulls/check", check)] * PROBES + [("/api/bench/forecast", heavy)] * PREDICTIONS

    def ask(path: str, body: dict[str, object]) -> None:
        with httpx.Client(base_url=address, timeout=90) as client:
            while not over.wait(PAUSE_S):
                with contextlib.suppress(httpx.HTTPError):
                    client.post(path, json=body)

    for one in asked:
        threading.Thread(target=ask, args=one, daemon=True).start()
    wait_for(lambda: hole.held >= 8, "the probes")
    try:
        yield
    finally:
        over.set()


def _stops(address: str, shot: int) -> list[float]:
    """Seconds until the machine answered each of many stops of one shot: it takes the first, and
    refuses those that follow while the last drips fall."""
    taken = []
    with httpx.Client(base_url=address, timeout=90) as client:
        for _ in range(STOPS):
            began = time.perf_counter()
            answer = client.post(f"/api/shots/{shot}/orders", json={"do": "stop"})
            if answer.is_error and "The machine refused" not in answer.text:
                break  # the record is closed
            taken.append(time.perf_counter() - began)
            time.sleep(EVERY_S)
    return taken
