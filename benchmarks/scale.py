"""The same questions to a database of 100 shots and of 100,000, of which 20,000 with traces."""

from __future__ import annotations

import itertools
from collections.abc import Callable

import httpx
from sqlalchemy import text

from benchmarks.timing import timed
from tests.parts import context_on_fresh_database, sample_world, served
from vapocline.desk.context import Context
from vapocline.desk.read.shots import list_shots, read_shot
from vapocline.store.tables import ShotRow

FEW, MANY, TRACED = 100, 100_000, 20_000
TIMES = 40
AIM_MS = 100.0
TRACES = ("time_s", "pressure_bar", "water_in_ml_s", "cup_out_ml_s", "cup_g", "group_c",
          "commanded", "phase", "by_hand")  # fmt: skip


def print_scale() -> None:
    """Ask both and print the table."""
    with context_on_fresh_database(template=sample_world()) as context:
        fill(context, FEW)
        few = measured(context)
    with context_on_fresh_database(template=sample_world()) as context:
        fill(context, MANY)
        many = measured(context)
    width = max(len(name) for name in many)
    print(f"{'p95, ms':{width}}  {FEW:>9,}  {MANY:>9,}")
    for name, ms in many.items():
        late = "" if ms <= AIM_MS else f"  over {AIM_MS:.0f}"
        print(f"{name:{width}}  {few[name]:9.1f}  {ms:9.1f}{late}")


def fill(context: Context, count: int) -> None:
    """Copies of the sample world's shots over three years; the newest hold traces and forecast."""
    columns = [
        one.name for one in ShotRow.__table__.columns if one.name not in ("id", "started_at")
    ]
    heavy = (*TRACES, "prediction")
    taken = [
        f"case when n > {count - TRACED} then {name} else '{{}}' end" if name in heavy else name
        for name in columns
    ]
    with context.resources.engine.begin() as connection:
        have = connection.scalar(text("select count(*) from shots")) or 0
        connection.execute(text("alter table shots disable trigger user"))
        connection.execute(
            text(
                f"insert into shots (started_at, {', '.join(columns)}) "
                f"select now() - (:count - n) * interval '15 minutes', {', '.join(taken)} "
                f"from generate_series(1, :more) n "
                f"join (select row_number() over (order by id) - 1 as nth, * from shots) s "
                f"on s.nth = n % :have"
            ),
            {"count": count, "more": count - have, "have": have},
        )
        # One by one the trigger would add them up a hundred thousand times in one transaction.
        connection.execute(text("alter table shots enable trigger user"))
        connection.execute(
            text(
                "update bags set used_g = s.used_g, shots = s.shots from (select bag_id, "
                "sum(dose_g) used_g, count(*) shots from shots group by bag_id) s "
                "where s.bag_id = bags.id"
            )
        )
    with context.resources.engine.connect() as connection:
        connection.execution_options(isolation_level="AUTOCOMMIT").execute(text("analyze"))


def measured(context: Context) -> dict[str, float]:
    """The 95th percentile of each question over HTTP, ms."""
    newest = list_shots(context, limit=2)
    profile = read_shot(context, newest[0].id).profile.written()
    bars = itertools.count(1)

    def drag() -> dict[str, object]:
        moved = profile | {"note": f"drag {next(bars)}"}
        return {"profile": moved}

    first, second = newest[0].id, newest[1].id
    with served(context) as address, httpx.Client(base_url=address, timeout=90) as client:

        def get(path: str) -> Callable[[], httpx.Response]:
            return lambda: client.get(f"/api{path}").raise_for_status()

        questions: dict[str, Callable[[], httpx.Response]] = {
            "bench": get("/bench"),
            "coffees": get("/coffees"),
            "profiles": get("/profiles"),
            "cut-off": get("/cut-off"),
            "forecast of a drag": lambda: client.post(
                "/api/bench/forecast", json=drag()
            ).raise_for_status(),
            "shots": get("/shots"),
            "one shot": get(f"/shots/{first}"),
            "its review": get(f"/shots/{first}/review"),
            "a coffee's trail": get("/coffees/1/trail"),
            "what worked on it": get("/coffees/1/trail/summary"),
            "compared": get(f"/compare?first={first}&second={second}"),
        }
        return {name: _p95(timed(ask, times=TIMES)) for name, ask in questions.items()}


def _p95(seconds: list[float]) -> float:
    ms = sorted(1000 * one for one in seconds)
    return ms[round(0.95 * (len(ms) - 1))]
