"""How long a stop takes, from the request to the machine's answer, while all else is busy."""

from __future__ import annotations

import contextlib
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor

import httpx
from psycopg import sql

from benchmarks.guests import HALF_OPEN
from benchmarks.timing import Row
from tests.black_hole import BlackHole
from tests.factories import EVERY_CHECK, pressure, profile
from tests.parts import (
    administer,
    context_on_fresh_database,
    sample_world,
    served_to_phones,
    url_of,
    wait_for,
)
from vapocline.cli.serving import listen
from vapocline.core.machine.machine import Machine
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.context import Context
from vapocline.desk.plan.profiles import NewProfile, start_profile
from vapocline.desk.read.shots import list_shots
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
GUESTS, GUESTS_S, SEATS = 24, 60, 8
FORECASTS = 200
ENOUGH = 12  # machines, of which four hold a pressure
LONG = profile(pressure(4, name="Press"), cup_g=None, time_s=280)


def stop_rows() -> list[Row]:
    """Alone; beside probes, predictions and a locked row; then with the database away too."""
    with (
        context_on_fresh_database(speed=1, template=sample_world()) as context,
        _server(context) as address,
        contextlib.closing(BlackHole()) as hole,
    ):
        first, second, third, fourth = _started(context, address)
        alone = _stops(address, first)
        with _guests(context, address):
            crowded = _stops(address, fourth)
            began = time.perf_counter()
            _pull(context, address, "Among guests")
            start_s = time.perf_counter() - began
        answered, told_s = _forecasts_at_once(address)
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
        _row(f"stop, {GUESTS} guests and {HALF_OPEN} half-open requests", crowded, aim),
        Row("a pull's start among them", 1000 * start_s, None, "ms", "aim 1000 or less"),
        Row(
            f"{FORECASTS} forecasts at once, longest to an answer or a word",
            1000 * told_s,
            None,
            "ms",
            f"aim 10000 or less; {answered} were forecast",
        ),
        _row(f"stop, {PROBES} slow probes, {PREDICTIONS} predictions, row locked", beside, aim),
        _row("stop, the database away besides", away, aim),
    ]


def _started(context: Context, address: str) -> list[int]:
    """A long shot on each of four machines that hold a pressure."""
    machines = list_machines(context)
    while len(machines) < ENOUGH:
        add_machine(context, Machine(name=f"Another {len(machines)}"))
        machines = list_machines(context)
    shots: list[int] = []
    for machine in machines:
        change_bench(context, BenchChange(machine_id=machine.id))
        if (shot := _pull(context, address, f"On {machine.name}")) is not None:
            shots.append(shot)
        if len(shots) == 4:
            return shots
    raise RuntimeError("fewer than four machines pull this")


def _pull(context: Context, address: str, name: str) -> int | None:
    """A shot begun on the bench; None where its machine does not take it."""
    answer = httpx.post(f"{address}/api/shots", json=_body(context, name), timeout=90)
    number: int | None = answer.json().get("id")
    return number


def _forecasts_at_once(address: str) -> tuple[int, float]:
    """(how many of so many forecasts were made, how long the last one waited to hear of it, s)."""
    heavy = {"profile": LONG.written(), "members": 200}
    together = httpx.Limits(max_connections=FORECASTS)

    def ask(_number: int) -> tuple[bool, float]:
        began = time.perf_counter()
        answer = asking.post("/api/bench/forecast", json=heavy)
        return answer.is_success, time.perf_counter() - began

    # One client: to make two hundred takes seconds of the processor that is measured.
    with (
        httpx.Client(base_url=address, limits=together, timeout=90) as asking,
        ThreadPoolExecutor(FORECASTS) as threads,
    ):
        found = list(threads.map(ask, range(FORECASTS)))
    return sum(made for made, _took in found), max(took for _made, took in found)


@contextlib.contextmanager
def _guests(context: Context, address: str) -> Iterator[None]:
    """Phones of two tables, each guest busy, and half-open requests besides. The bench has a
    machine with nothing to do."""
    change_bench(context, BenchChange(machine_id=add_machine(context, Machine(name="Free")).id))
    shots = [shot.id for shot in list_shots(context, limit=20) if shot.state == "done"][:2]
    seats: list[str] = []
    for table in range(GUESTS // SEATS):
        names = tuple(f"Guest {table} {n}" for n in range(SEATS))
        setup = {"shot_ids": shots, "tasters": names, "lines": ["liking"]}
        made = httpx.post(f"{address}/api/tastings", json=setup, timeout=90).json()
        for seat in made["seats"]:
            path = f"/api/tables/{made['join_code']}/seats/{seat['taster_id']}"
            headers = {"Vapocline-Seat": seat["secret"]}
            cup = httpx.get(f"{address}{path}", headers=headers, timeout=90).json()["cups"][0]
            seats += [path, seat["secret"], str(cup["number"])]
    with served_to_phones(context) as port:
        words = [sys.executable, "-m", "benchmarks.guests", str(port), str(GUESTS_S), *seats]
        with subprocess.Popen(words, stdout=subprocess.PIPE, text=True) as guests:
            assert guests.stdout
            print(f"half-open requests let in: {guests.stdout.readline().strip()}")
            try:
                yield
            finally:
                guests.kill()


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
