"""What a process does before it takes its first request, and after its last."""

from __future__ import annotations

from vapocline.core.plan import Plan, Setup
from vapocline.core.puck.predict import predict
from vapocline.core.styles.fit import steady_nine
from vapocline.desk.bench import open_bench
from vapocline.desk.context import Desk
from vapocline.desk.pull import take_up_orphans
from vapocline.store.live import LiveShots


def ready(desk: Desk) -> None:
    """Set the bench up, end shots that a dead process left, and load the compiled kernel."""
    open_bench(desk)
    take_up_orphans(desk)
    warm_up()


def warm_up() -> None:
    """Predict once, so that the kernel is compiled, or read from its cache."""
    predict(Plan(setup=Setup(dose_g=18), profile=steady_nine("Warm-up", 36)))


def live_shots(url: str) -> LiveShots:
    """The listener that passes running shots on to who watches."""
    return LiveShots(url)


def close_desk(desk: Desk) -> None:
    """Give the database's connections back."""
    desk.engine.dispose()
