"""Routes of the bench."""

from __future__ import annotations

from fastapi import APIRouter

from vapocline.api.dependencies import ERRORS, AtBench
from vapocline.desk.bench import bench

router = APIRouter(prefix="/api", responses=ERRORS)


@router.get("/bench", operation_id="readBench")
def read_bench(context: AtBench) -> bench.Bench:
    """The setup in force."""
    return bench.read_bench(context)


@router.patch("/bench", operation_id="changeBench")
def change_bench(context: AtBench, change: bench.BenchChange) -> bench.Bench:
    """Change some words of the setup."""
    return bench.change_bench(context, change)
