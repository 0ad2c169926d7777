"""The engine alone."""

from __future__ import annotations

import subprocess
import sys
import time

from benchmarks.timing import Row, row, timed
from tests.factories import bloomed, plan, pressure, soaked
from vapocline.core.puck.predict import predict

SHOTS = {
    "flat, 24 s": plan(pressure(9)),
    "soak then hold, 25 s": plan(*soaked(2.5)),
    "bloom, 52 s": plan(*bloomed()),
}
FIRST = "from vapocline.desk.opening import warm_up; warm_up()"


def core_rows() -> list[Row]:
    """One prediction, warm, of several shots; and a new process with the cache warm."""
    rows = [
        row(f"prediction: {name}", timed(lambda one=one: predict(one), times=60), "aim 10 or less")
        for name, one in SHOTS.items()
    ]
    starts = []
    for _ in range(5):
        began = time.perf_counter()
        subprocess.run([sys.executable, "-c", FIRST], check=True)
        starts.append(time.perf_counter() - began)
    rows.append(row("new process, import to first prediction", starts))
    return rows
