"""Numbers on a grid of steps."""

from __future__ import annotations


def to_step(value: float, step: float, top: float | None = None) -> float:
    """The nearest multiple of a step, not above `top` where one is given."""
    nearest = round(round(value / step) * step, 6)
    if top is not None and nearest > top:
        nearest = round((top // step) * step, 6)
    return nearest
