"""A scale as the desk needs it, and the one that speaks our line protocol."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Protocol

from vapocline.devices.line import ANSWER_WAIT_S, DeviceLine
from vapocline.devices.messages import PlainOrder, ScaleStatus, WeightLine


class ScalePort(Protocol):
    """What the desk needs of any scale; a real one is one more class like `LineScale`."""

    def status(self) -> ScaleStatus:
        """What it shows, and whether a cup stands on it."""

    def tare(self) -> None:
        """Make what stands on it count as nothing."""

    def weights(self) -> Iterator[WeightLine]:
        """Every reading from now on, until the line is closed."""

    def close(self) -> None:
        """Hang up."""


class LineScale(DeviceLine):
    """A scale that speaks our line protocol over TCP. Use as a context manager."""

    def __init__(self, address: str, patience_s: float = ANSWER_WAIT_S) -> None:
        """Connect. Raises DeviceError when nothing answers there."""
        super().__init__(address, "scale", patience_s)

    def status(self) -> ScaleStatus:
        """See ScalePort."""
        return self.order(PlainOrder(do="status")).scale or ScaleStatus()

    def tare(self) -> None:
        """See ScalePort."""
        self.order(PlainOrder(do="tare"))

    def weights(self) -> Iterator[WeightLine]:
        """See ScalePort. Raises DeviceError when the line falls silent or breaks."""
        for line in self.newest():
            if isinstance(line, WeightLine):
                yield line
