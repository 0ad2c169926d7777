"""The kill list: each fault in mid shot, with 90 orders meanwhile; samples sent, samples kept."""

from __future__ import annotations

import contextlib
import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path
from typing import Any

import httpx

from benchmarks.proxy import Proxy
from tests.factories import EVERY_CHECK, pressure, profile, seconds
from tests.parts import folder, wait_for
from vapocline.runtime.simulators import SimulatorProcess, new_code

ORDERS, ORDERS_EVERY_S = 90, 0.15
BEFORE_S, AWAY_S, CUT_S = 4.0, 8.0, 30.0
LONG = profile(pressure(4, None, seconds(280), name="Press"), cup_g=None, time_s=290)
TMPFS_MB = 400
STEP_S = 0.05  # between samples


@dataclass
class Outcome:
    """What came of one fault."""

    name: str
    sent: int = 0
    kept: int = 0
    doubled: int = 0
    orders: int = 0
    state: str = ""


class Bench:
    """The start command on a data folder, and a machine of ours behind a proxy."""

    def __init__(self, home: Path, machine: SimulatorProcess, proxy: Proxy) -> None:
        self.home, self.machine, self.proxy = home, machine, proxy
        self.started: subprocess.Popen[str] | None = None
        self.address = ""
        self.profile = 0

    def start(self) -> None:
        """Run the start command until it answers."""
        words = [sys.executable, "-m", "vapocline.cli", "start", "--data-dir", str(self.home)]
        self.started = subprocess.Popen(
            words, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
        )
        assert self.started.stdout
        said = next(line for line in self.started.stdout if "Vapocline is at" in line)
        self.address = said.split("Vapocline is at ")[1].split()[0]
        threading.Thread(target=self.started.stdout.read, daemon=True).start()

    def set_up(self) -> None:
        """Connect the machine, and write the profile to pull."""
        one = self.ask("GET", "/bench")["machine"]["id"]
        code = self.machine.address.partition("@")[0]
        lines = {"machine": f"{code}@127.0.0.1:{self.proxy.port}/bench"}
        self.ask("PUT", f"/machines/{one}/connections", json=lines)
        body = {"name": "Long", "profile": LONG.written()}
        self.profile = self.ask("POST", "/profiles", json=body)["profile_id"]

    def ask(self, method: str, path: str, **more: object) -> dict[str, Any]:
        """An answer, as often asked as it takes."""

        def asked() -> httpx.Response | None:
            with contextlib.suppress(httpx.HTTPError):
                answer = httpx.request(method, f"{self.address}/api{path}", timeout=90, **more)
                return answer if answer.is_success else None
            return None

        found: dict[str, Any] = wait_for(asked, path).json()
        return found

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

    def end(self) -> None:
        """Stop the start command as Ctrl-C does."""
        if self.started and self.started.poll() is None:
            self.started.send_signal(signal.SIGINT)
            self.started.wait()


Fault = Callable[[Bench], None]


def kill_application(bench: Bench) -> None:
    """kill −9 of the application; started again on the same folder."""
    assert bench.started
    bench.started.kill()
    bench.started.wait()
    bench.start()


def kill_machine(bench: Bench) -> None:
    """kill −9 of the machine's simulator; it comes back without its memory."""
    os.kill(bench.machine.pid() or 0, signal.SIGKILL)
    time.sleep(2)
    bench.machine.start_again()


def restart_machine(bench: Bench) -> None:
    """The machine switched off and on."""
    bench.machine.start_again()


def kill_postmaster(bench: Bench) -> None:
    """kill −9 of the database's first process; supervision starts it again."""
    os.kill(bench.postmaster(), signal.SIGKILL)


def kill_database_worker(bench: Bench) -> None:
    """kill −9 of the database process that serves us; PostgreSQL then restarts all of them."""
    parent = f"\nPPid:\t{bench.postmaster()}\n"
    for status in Path("/proc").glob("[0-9]*/status"):
        with contextlib.suppress(OSError):
            words = status.with_name("cmdline").read_bytes()
            if parent in status.read_text() and words.startswith(b"postgres: vapocline"):
                os.kill(int(status.parent.name), signal.SIGKILL)
                return


def fill_disk(bench: Bench) -> None:
    """The data folder's disk full, then room again."""
    filler = bench.home / "filler"
    with contextlib.suppress(OSError), filler.open("wb", buffering=0) as file:
        while True:
            file.write(b"\0" * 65536)
    time.sleep(AWAY_S)
    filler.unlink()


def cut_network(bench: Bench) -> None:
    """No line to the machine for half a minute."""
    bench.proxy.cut()
    time.sleep(CUT_S)
    bench.proxy.reconnect()


FAULTS: dict[str, Fault] = {
    "nothing": lambda _bench: None,
    "application, kill -9": kill_application,
    "machine, kill -9": kill_machine,
    "machine restarted": restart_machine,
    "database, kill -9": kill_postmaster,
    "database process, kill -9": kill_database_worker,
    f"line cut for {CUT_S:.0f} s": cut_network,
}
ON_A_SMALL_DISK: dict[str, Fault] = {f"disk full for {AWAY_S:.0f} s": fill_disk}


def print_faults() -> None:
    """Bring every fault about in mid shot and print what came of it."""
    print(f"{'':28}  {'sent':>6}  {'kept':>6}  {'twice':>6}  {'orders':>8}  shot")
    with folder() as home:
        _print_each(home / "d", FAULTS)
        with _small_disk(home / "small") as small:
            if small is None:
                print("disk full: skipped, mounting a small one needs root")
            else:
                _print_each(small / "d", ON_A_SMALL_DISK)


def _print_each(home: Path, faults: dict[str, Fault]) -> None:
    machine = SimulatorProcess("machine", new_code(), "--seed=3", "--speed=1")
    machine.wait_ready()
    proxy = Proxy(int(machine.address.rpartition(":")[2]))
    bench = Bench(home, machine, proxy)
    try:
        bench.start()
        bench.set_up()
        for name, fault in faults.items():
            one = _brought_about(bench, name, fault)
            print(
                f"{one.name:28}  {one.sent:6}  {one.kept:6}  {one.doubled:6}"
                f"  {one.orders:3} of {ORDERS}  {one.state}",
                flush=True,
            )
    finally:
        bench.end()
        proxy.close()
        machine.end()


def _brought_about(bench: Bench, name: str, fault: Fault) -> Outcome:
    bench.proxy.reset_count()
    body = {"profile_id": bench.profile, "number": 1, "despite": sorted(EVERY_CHECK)}
    shot = bench.ask("POST", "/shots", json=body)["id"]
    path, found = f"/shots/{shot}", Outcome(name)
    enough = BEFORE_S / STEP_S
    wait_for(lambda: bench.proxy.samples() > enough, "some seconds of samples")
    ordering = threading.Thread(target=_give_orders, args=(bench, path, found))
    ordering.start()
    time.sleep(BEFORE_S)
    fault(bench)
    ordering.join()
    time.sleep(2)
    wait_for(lambda: bench.ended(path), "the end of the record")
    whole = bench.ask("GET", path)
    times = whole["traces"]["time_s"]
    found.sent, found.kept, found.state = bench.proxy.samples(), len(times), whole["state"]
    found.doubled = sum(b - a < STEP_S / 2 for a, b in pairwise(times))
    return found


def _give_orders(bench: Bench, path: str, found: Outcome) -> None:
    for number in range(ORDERS):
        by = 0.1 if number % 2 else -0.1
        with contextlib.suppress(httpx.HTTPError):
            answer = httpx.post(
                f"{bench.address}/api{path}/orders", json={"do": "nudge", "by": by}, timeout=10
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
