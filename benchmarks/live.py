"""Eight machines pulled at once, watched by twenty pages: what is late, and what is lost."""

from __future__ import annotations

import asyncio
import json
import subprocess
import sys
import time

import httpx
import numpy as np

from benchmarks.timing import Row, row
from tests.factories import EVERY_CHECK, held_on
from tests.parts import context_on_fresh_database, sample_world, served, wait_for
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.context import Context
from vapocline.desk.plan.profiles import NewProfile, start_profile
from vapocline.desk.shelf.machines import list_machines

MACHINES, WATCHERS = 8, 20
SHOT_S = 25.0


def live_rows() -> list[Row]:
    """Measured at the watchers, in a process of their own, on the clock of the machines."""
    with (
        context_on_fresh_database(speed=1, template=sample_world(), instruments=True) as context,
        served(context) as address,
        httpx.Client(base_url=address, timeout=90) as client,
    ):
        shots = _started(context, client)
        watching = subprocess.Popen(
            [sys.executable, "-m", "benchmarks.live", address, *map(str, shots)],
            stdout=subprocess.PIPE,
        )
        time.sleep(SHOT_S)  # the shots run by the clock
        for shot in shots:
            path = f"/api/shots/{shot}"
            client.post(f"{path}/orders", json={"do": "stop"})
        for shot in shots:
            path = f"/api/shots/{shot}"
            wait_for(lambda at=path: client.get(at).json()["state"] != "running", "the end")
        watched, _ = watching.communicate()
        stored = {s: client.get(f"/api/shots/{s}").json()["traces"]["time_s"] for s in shots}
    found = json.loads(watched)
    lost = sum(_missing(times) for times in stored.values())
    unheard = sum(len(stored[heard["shot"]]) - heard["samples"] for heard in found)
    late = [delay for heard in found for delay in heard["delays"]]
    return [
        row("reading to page, 8 machines, 20 pages", late, "aim: p95 150 or less"),
        Row("samples not stored", float(lost), None, "", "aim 0"),
        Row("samples a page did not hear", float(unheard), None, "", "aim 0"),
    ]


def _started(context: Context, client: httpx.Client) -> list[int]:
    """One shot on each machine of the shelf, each in its own terms."""
    shots = []
    for machine in list_machines(context)[:MACHINES]:
        version = start_profile(
            context, NewProfile(name=f"On {machine.name}", profile=held_on(machine))
        )
        change_bench(context, BenchChange(machine_id=machine.id))
        body = {
            "profile_id": version.profile_id,
            "number": 1,
            "despite": sorted(EVERY_CHECK),
        }
        answer = client.post("/api/shots", json=body)
        answer.raise_for_status()
        shots.append(answer.json()["id"])
    return shots


def _missing(times: list[float]) -> int:
    return int(np.round(np.diff(times) / 0.05 - 1).sum())


async def _watch(address: str, shot: int) -> dict[str, object]:
    from websockets.asyncio.client import connect

    delays: list[float] = []
    samples = 0
    async with connect(f"ws{address[4:]}/api/shots/{shot}/live", max_size=None) as socket:
        async for raw in socket:
            message = json.loads(raw)
            samples += len(message.get("columns", {}).get("time_s", []))
            if message.get("at") and message["columns"].get("time_s"):
                delays.append(time.time() - message["at"])
            if message.get("state"):
                break
    return {"shot": shot, "samples": samples, "delays": delays}


async def _watch_all(address: str, shots: list[int]) -> None:
    every = [shots[number % len(shots)] for number in range(WATCHERS)]
    print(json.dumps(await asyncio.gather(*(_watch(address, shot) for shot in every))))


if __name__ == "__main__":
    asyncio.run(_watch_all(sys.argv[1], [int(one) for one in sys.argv[2:]]))
