"""The kill list: each fault in the midst of six shots at once, with 90 orders meanwhile; samples
that the machines sent, samples kept, and each shot's own CSV read back."""

from __future__ import annotations

import contextlib
import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from itertools import pairwise
from pathlib import Path
from typing import Any

import httpx
import psycopg

from benchmarks.proxy import Proxy
from tests.factories import EVERY_CHECK, pressure, profile, seconds
from tests.parts import folder, wait_for
from vapocline.core.base.problems import Refused
from vapocline.core.formats.trace_csv import traces_from_csv
from vapocline.runtime.cluster import running_url
from vapocline.runtime.simulators import SimulatorProcess, new_code
from vapocline.store.shots import RECORDING

MACHINES = 6
ORDERS, ORDERS_EVERY_S = 90, 0.15
BEFORE_S, AWAY_S, CUT_S = 4.0, 8.0, 30.0
CUTS, CUT_EVERY_S = 12, 0.7
POSTMASTERS = 10  # killed, in as many runs
LONG = profile(pressure(4, None, seconds(280), name="Press"), cup_g=None, time_s=290)
TMPFS_MB = 500
STEP_S = 0.05  # between samples
CUT_LOCKS = "select pg_terminate_backend(pid) from pg_locks where classid = %s and granted"
DEFER = """
    select procrastinate_defer_jobs_v1(array[row('learning', 'learn', 0, 'killed', 'killed',
      jsonb_build_object('coffee_id', coffee_id, 'grinder_id', grinder_id,
        'machine_id', machine_id), null)::procrastinate_job_to_defer_v1])
      from shots order by id desc limit 1
"""
OPEN_JOBS = (
    "select status::text, count(*) from procrastinate_jobs"
    " where status in ('todo', 'doing') group by 1"
)


@dataclass
class Outcome:
    """What came of one fault, over all shots."""

    sent: int = 0
    kept: int = 0
    twice: int = 0
    orders: int = 0
    read_back: int = 0
    states: list[str] = field(default_factory=list)


class Bench:
    """The start command on a data folder, a worker beside it, and machines of ours, which live on
    when it is killed, each behind a proxy."""

    def __init__(self, home: Path) -> None:
        self.home = home
        self.machine = SimulatorProcess("machine", new_code(), "--seed=3", "--speed=1")
        self.machine.wait_ready()
        port = int(self.machine.address.rpartition(":")[2])
        self.proxies = [Proxy(port) for _ in range(MACHINES)]
        self.machines: list[int] = []
        self.started: subprocess.Popen[str] | None = None
        self.worker: subprocess.Popen[bytes] | None = None
        self.address = ""
        self.profile = 0

    def start(self) -> None:
        """Run the start command until it answers."""
        words = [sys.executable, "-m", "vapocline.cli", "start", "--data-dir", str(self.home)]
        self.started = subprocess.Popen(
            words, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True,
            env=os.environ | {"VAPOCLINE_LEARNS": "false"},
        )  # fmt: skip
        assert self.started.stdout
        said = next(line for line in self.started.stdout if "Vapocline is at" in line)
        self.address = said.split("Vapocline is at ")[1].split()[0]
        threading.Thread(target=self.started.stdout.read, daemon=True).start()

    def start_worker(self) -> None:
        """Run a worker beside it."""
        words = [sys.executable, "-m", "vapocline.cli", "worker", "--data-dir", str(self.home)]
        self.worker = subprocess.Popen(words, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)

    def set_up(self) -> None:
        """Connect the machines, and write the profile to pull."""
        coffee = self.ask("POST", "/coffees", json={"name": "Quay"})["id"]
        mill = {"name": "Mill", "settings": [0, 10], "grind_um": [200, 400]}
        grinder = self.ask("POST", "/grinders", json=mill)["id"]
        self.ask("PATCH", "/bench", json={"coffee_id": coffee, "grinder_id": grinder})
        self.machines = [self.ask("GET", "/bench")["machine"]["id"]]
        for number in range(1, MACHINES):
            made = self.ask("POST", "/machines", json={"name": f"Machine {number + 1}"})
            self.machines.append(made["id"])
        code = self.machine.address.partition("@")[0]
        for one, proxy in zip(self.machines, self.proxies, strict=True):
            lines = {"machine": f"{code}@127.0.0.1:{proxy.port}/bench-{one}"}
            self.ask("PUT", f"/machines/{one}/connections", json=lines)
        body = {"name": "Long", "profile": LONG.written()}
        self.profile = self.ask("POST", "/profiles", json=body)["profile_id"]

    def pull_all(self) -> list[int]:
        """Start a shot on every machine; their numbers."""
        shots = []
        for machine in self.machines:
            self.ask("PATCH", "/bench", json={"machine_id": machine})
            body = {"profile_id": self.profile, "number": 1, "despite": sorted(EVERY_CHECK)}
            shots.append(self.ask("POST", "/shots", json=body)["id"])
        return shots

    def ask(self, method: str, path: str, **more: object) -> dict[str, Any]:
        """An answer, as often asked as it takes."""
        return self.answer(method, path, **more).json()  # type: ignore[no-any-return]

    def answer(self, method: str, path: str, **more: object) -> httpx.Response:
        """See `ask`."""

        def asked() -> httpx.Response | None:
            with contextlib.suppress(httpx.HTTPError):
                answer = httpx.request(method, f"{self.address}/api{path}", timeout=90, **more)
                if answer.status_code == httpx.codes.UNPROCESSABLE_ENTITY:
                    raise AssertionError(answer.text)  # it will not be taken later either
                return answer if answer.is_success else None
            return None

        return wait_for(asked, path, patience_s=240)

    def ended(self, path: str) -> bool:
        """Whether a shot is over; told to stop while it is not."""
        if self.ask("GET", path)["state"] != "running":
            return True
        with contextlib.suppress(httpx.HTTPError):
            httpx.post(f"{self.address}/api{path}/orders", json={"do": "stop"}, timeout=90)
        return False

    def postmaster(self) -> int:
        """The database's first process."""
        return int((self.home / "db" / "postmaster.pid").read_text().partition("\n")[0])

    def database(self) -> list[int]:
        """Every process of the database."""
        parent, found = self.postmaster(), []
        for status in Path("/proc").glob("[0-9]*/status"):
            with contextlib.suppress(OSError):
                if f"\nPPid:\t{parent}\n" in status.read_text():
                    found.append(int(status.parent.name))
        return [parent, *found]

    def query(self, statement: str, *given: object) -> list[Any]:
        """What the database says."""
        url = running_url(self.home)
        assert url
        with psycopg.connect(url, autocommit=True) as connection:
            return connection.execute(statement, given).fetchall()  # type: ignore[arg-type]

    def end(self) -> None:
        """Stop the start command as Ctrl-C does, and all that was started beside it."""
        for process in (self.worker, self.started):
            if process and process.poll() is None:
                process.send_signal(signal.SIGINT)
                process.wait()
        for proxy in self.proxies:
            proxy.close()
        self.machine.end()


Fault = Callable[[Bench], None]


def kill_application(bench: Bench) -> None:
    """kill −9 of the application; started again on the same folder. The machines live on."""
    assert bench.started
    bench.started.kill()
    bench.started.wait()
    bench.start()


def kill_machines(bench: Bench) -> None:
    """kill −9 of the machines' simulator; it comes back without its memory."""
    os.kill(bench.machine.pid() or 0, signal.SIGKILL)
    time.sleep(2)
    bench.machine.start_again()


def kill_postmaster(bench: Bench) -> None:
    """kill −9 of the database's first process; supervision starts it again."""
    os.kill(bench.postmaster(), signal.SIGKILL)


def kill_database_worker(bench: Bench) -> None:
    """kill −9 of a database process that serves us; PostgreSQL then restarts all of them."""
    [[backend]] = bench.query(
        "select min(pid) from pg_stat_activity where datname = 'vapocline'"
        " and pid <> pg_backend_pid()"
    )
    os.kill(backend, signal.SIGKILL)


def cut_locks(bench: Bench) -> None:
    """The connections that hold the recorders' locks, cut again and again."""
    for _ in range(CUTS):
        bench.query(CUT_LOCKS, RECORDING)
        time.sleep(CUT_EVERY_S)


def freeze_database(bench: Bench) -> None:
    """The database stands still, and its connections with it; then it goes on."""
    frozen = bench.database()
    for pid in frozen:
        os.kill(pid, signal.SIGSTOP)
    time.sleep(AWAY_S)
    for pid in frozen:
        os.kill(pid, signal.SIGCONT)


def kill_worker(bench: Bench) -> None:
    """kill −9 of the worker in the midst of a job: what it reads is locked until it is dead.
    Another one goes on."""
    assert bench.worker
    url = running_url(bench.home)
    assert url
    with psycopg.connect(url) as locking:
        locking.execute("lock table knowledge in access exclusive mode")
        bench.query(DEFER)
        wait_for(lambda: "doing" in dict(bench.query(OPEN_JOBS)), "a job that is being done")
        bench.worker.kill()
        bench.worker.wait()
    bench.start_worker()


def fill_disk(bench: Bench) -> None:
    """The data folder's disk full, then room again."""
    filler = bench.home / "filler"
    with contextlib.suppress(OSError), filler.open("wb", buffering=0) as file:
        while True:
            file.write(b"\0" * 65536)
    refused = httpx.get(f"{bench.address}/api/ready", timeout=90)
    if refused.is_success or "full" not in refused.text:
        print(f"  /api/ready said {refused.status_code} on a full disk: {refused.text[:80]}")
    time.sleep(AWAY_S)
    filler.unlink()


def cut_network(bench: Bench) -> None:
    """No line to the machines for half a minute."""
    for proxy in bench.proxies:
        proxy.cut()
    time.sleep(CUT_S)
    for proxy in bench.proxies:
        proxy.reconnect()


FAULTS: dict[str, Fault] = {
    "nothing": lambda _bench: None,
    "lock connections cut": cut_locks,
    "application, kill -9": kill_application,
    "machines, kill -9": kill_machines,
    "database process, kill -9": kill_database_worker,
    f"database frozen for {AWAY_S:.0f} s": freeze_database,
    "worker, kill -9 in mid job": kill_worker,
    f"line cut for {CUT_S:.0f} s": cut_network,
    **{f"database, kill -9, {n + 1}": kill_postmaster for n in range(POSTMASTERS)},
}
ON_A_SMALL_DISK: dict[str, Fault] = {f"disk full for {AWAY_S:.0f} s": fill_disk}


def print_faults() -> None:
    """Bring every fault about in mid shot and print what came of it; VAPOCLINE_FAULTS is a word
    in the names of those that are wanted."""
    heads = f"{'sent':>6}  {'kept':>6}  {'twice':>6}  {'read back':>9}  {'orders':>8}"
    print(f"{'':28}  {heads}  shots")
    asked = os.environ.get("VAPOCLINE_FAULTS", "")
    with folder() as home:
        _print_each(home / "d", FAULTS, asked)
        with _small_disk(home / "small") as small:
            if small is None:
                print("disk full: skipped, mounting a small one needs root")
            else:
                _print_each(small / "d", ON_A_SMALL_DISK, asked)


def _print_each(home: Path, faults: dict[str, Fault], asked: str) -> None:
    chosen = {name: fault for name, fault in faults.items() if asked in name}
    if not chosen:
        return
    bench = Bench(home)
    try:
        bench.start()
        bench.start_worker()
        bench.set_up()
        for name, fault in chosen.items():
            one = _brought_about(bench, fault)
            states = ", ".join(f"{one.states.count(s)} {s}" for s in sorted(set(one.states)))
            print(
                f"{name:28}  {one.sent:6}  {one.kept:6}  {one.twice:6}  "
                f"{one.read_back:4} of {MACHINES}  {one.orders:3} of {ORDERS}  {states}",
                flush=True,
            )
        wait_for(lambda: not bench.query(OPEN_JOBS), "the jobs to be done", patience_s=240)
        print("jobs left: 0")
    finally:
        bench.end()


def _brought_about(bench: Bench, fault: Fault) -> Outcome:
    for proxy in bench.proxies:
        proxy.reset_count()
    shots, found = bench.pull_all(), Outcome()
    enough = BEFORE_S / STEP_S
    wait_for(lambda: min(p.samples() for p in bench.proxies) > enough, "some seconds of samples")
    ordering = threading.Thread(target=_give_orders, args=(bench, shots, found))
    ordering.start()
    time.sleep(BEFORE_S)
    fault(bench)
    ordering.join()
    time.sleep(2)
    for shot, proxy in zip(shots, bench.proxies, strict=True):
        path = f"/shots/{shot}"
        wait_for(lambda at=path: bench.ended(at), "the end of the record", patience_s=240)
        whole = bench.ask("GET", path)
        times = whole["traces"]["time_s"]
        found.states.append(whole["state"])
        found.sent += proxy.samples()
        found.kept += len(times)
        found.twice += sum(b - a < STEP_S / 2 for a, b in pairwise(times))
        found.read_back += _reads_back(bench, path, len(times))
    return found


def _reads_back(bench: Bench, path: str, count: int) -> bool:
    """Whether a shot's own CSV can be brought in again, whole."""
    with contextlib.suppress(Refused):
        return traces_from_csv(bench.answer("GET", f"{path}/traces.csv").text).time_s.size == count
    return False


def _give_orders(bench: Bench, shots: list[int], found: Outcome) -> None:
    for number in range(ORDERS):
        by = 0.1 if number // len(shots) % 2 else -0.1
        path = f"/shots/{shots[number % len(shots)]}/orders"
        with contextlib.suppress(httpx.HTTPError):
            answer = httpx.post(
                f"{bench.address}/api{path}", json={"do": "nudge", "by": by}, timeout=10
            )
            found.orders += answer.is_success
        time.sleep(ORDERS_EVERY_S)


@contextlib.contextmanager
def _small_disk(at: Path) -> Iterator[Path | None]:
    """A folder on a disk of its own that is soon full; None where that cannot be had."""
    at.mkdir()
    size = f"size={TMPFS_MB}m"
    mounted = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", size, "tmpfs", at], capture_output=True, check=False
    )
    if mounted.returncode != 0:
        yield None
        return
    try:
        at.chmod(0o755)
        yield at
    finally:
        subprocess.run(["umount", "-l", at], check=False)
