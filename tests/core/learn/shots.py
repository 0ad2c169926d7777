"""Logged shots to learn from: simulated pulls of a coffee that nobody knows."""

from __future__ import annotations

from typing import Any

from tests.core.read.recordings import GOOD, Fault, recording, styled
from vapocline.core.learn.logged import LoggedShot
from vapocline.core.puck.plan import Plan
from vapocline.core.shot.result import result_of

KEYS = ("steady-nine", "soak-then-press", "spring-decline", "level-flow", "bloom", "steady-nine")
STRANGE = 3  # a coffee and grinder that are not what they are taken for


def shot(
    key: str,
    seed: int,
    truth: dict[str, float] | None = None,
    *,
    plan: Plan | None = None,
    tds: bool = False,
    **said: Any,
) -> LoggedShot:
    """One pull of a style; `truth` are factors on what its coffee and machine really are."""
    planned = plan or styled(key)
    one = recording(planned, seed, Fault(truth=truth or {}), GOOD, pair=STRANGE)
    result = result_of(one.traces, stop_s=one.stop_s, dose_g=planned.setup.dose_g)
    known: dict[str, Any] = {
        "traces": one.traces,
        "shot_time_s": one.stop_s,
        "first_drip_s": one.drip_s,
        "yield_g": result.yield_g,
        "peak_pressure_bar": result.peak_pressure_bar,
        "tds_pct": one.tds_pct if tds else None,
        "version": key,
    }
    return LoggedShot(f"{key} {seed}", planned, **known | said)


def shots(count: int, truth: dict[str, float] | None = None, **more: Any) -> list[LoggedShot]:
    """Pulls of several styles in turn."""
    return [shot(KEYS[at % len(KEYS)], 500 + at, truth, **more) for at in range(count)]


def timed_only(one: LoggedShot) -> LoggedShot:
    """The same shot of which only time and drink are known."""
    return LoggedShot(
        one.name,
        one.plan,
        shot_time_s=one.shot_time_s,
        yield_g=one.yield_g,
        version=one.version,
    )
