"""A refractometer as the desk needs it, and the one that speaks our line protocol."""

from __future__ import annotations

from typing import Protocol

from vapocline.core.base.problems import DeviceError
from vapocline.devices.line import ANSWER_WAIT_S, DeviceLine
from vapocline.devices.messages import PlainOrder, StrengthReading


class RefractometerPort(Protocol):
    """What the desk needs of any refractometer; a real one is one more class like the one below."""

    def read(self) -> StrengthReading:
        """One reading of the sample on its glass. Raises DeviceError when there is none."""

    def close(self) -> None:
        """Hang up."""


class LineRefractometer(DeviceLine):
    """A refractometer that speaks our line protocol over TCP. Use as a context manager."""

    def __init__(self, address: str, patience_s: float = ANSWER_WAIT_S) -> None:
        """Connect. Raises DeviceError when nothing answers there."""
        super().__init__(address, "refractometer", patience_s)

    def read(self) -> StrengthReading:
        """See RefractometerPort."""
        reading = self.order(PlainOrder(do="read")).strength
        if reading is None:
            raise DeviceError("The refractometer answered without a reading.")
        return reading
