"""A machine as the desk needs it, and the one that speaks our line protocol."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Protocol, cast

from vapocline.core.profile.profile import Profile
from vapocline.core.puck.plan import Setup
from vapocline.devices.line import ANSWER_WAIT_S, DeviceLine
from vapocline.devices.messages import (
    BasketOrder,
    EndLine,
    EventLine,
    Load,
    MachineStatus,
    Order,
    PlainOrder,
    Reply,
    SampleLine,
    Start,
)

Said = SampleLine | EventLine | EndLine


class MachinePort(Protocol):
    """What the desk needs of any machine; a real one is one more class like `LineMachine`."""

    def status(self) -> MachineStatus:
        """How it stands."""

    def basket(
        self, setup: Setup, coffee: str = "", grinder: str = "", preparation: str = ""
    ) -> None:
        """Tell a simulated machine what was tamped; a real one ignores it."""

    def load(self, profile: Profile) -> None:
        """Hand the profile over. Raises DeviceError if the machine does not take it."""

    def start(self, shot: str = "", *, by_hand: bool = False, alone_s: float | None = None) -> str:
        """Start the pump; returns what the shot is called, `shot` where that is given.

        A machine that hears nothing of us for `alone_s` seconds ends its program by itself.
        """

    def order(self, order: Order) -> Reply:
        """Anything else while it runs: stop, next, skip, nudge, hold, take, level, mark."""

    def beat(self) -> None:
        """Say that we are there."""

    def said(self, since: int = 0, shot: str = "") -> Iterator[Said | None]:
        """Everything the machine says of the shot from a sequence number on, to its end; None
        whenever it said nothing for a while.

        Raises OrderError where it knows no shot of that name.
        """

    def close(self) -> None:
        """Hang up."""


class LineMachine(DeviceLine):
    """A machine that speaks our line protocol over TCP. Use as a context manager."""

    def __init__(self, address: str, patience_s: float = ANSWER_WAIT_S) -> None:
        """Connect. Raises DeviceError when nothing answers there."""
        super().__init__(address, "machine", patience_s)

    def status(self) -> MachineStatus:
        """See MachinePort."""
        return self.order(PlainOrder(do="status")).machine or MachineStatus()

    def basket(
        self, setup: Setup, coffee: str = "", grinder: str = "", preparation: str = ""
    ) -> None:
        """See MachinePort. The machine is not sent what is known of the puck."""
        tamped = setup.model_copy(update={"knowledge": None}).written()
        self.order(
            BasketOrder(setup=tamped, coffee=coffee, grinder=grinder, preparation=preparation)
        )

    def load(self, profile: Profile) -> None:
        """See MachinePort."""
        self.order(Load(profile=profile.written()))

    def start(self, shot: str = "", *, by_hand: bool = False, alone_s: float | None = None) -> str:
        """See MachinePort."""
        return self.order(Start(shot=shot, by_hand=by_hand, alone_s=alone_s)).shot or ""

    def said(self, since: int = 0, shot: str = "") -> Iterator[Said | None]:
        """See MachinePort. Raises DeviceError when the line falls silent or breaks."""
        return cast(Iterator[Said | None], self.stream(since, shot))
