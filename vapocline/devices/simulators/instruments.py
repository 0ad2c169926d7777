"""A simulated scale and a simulated refractometer, each a process of its own.

They look into the cup under a simulated machine, and tell what they see with lag, noise and steps
of their own.
"""

from __future__ import annotations

import asyncio
import contextlib
import math
import os
import time
from collections.abc import Callable

import numpy as np

from vapocline.core.base.problems import DeviceError
from vapocline.devices.line import LineAddress
from vapocline.devices.messages import (
    CupLine,
    GoWrong,
    Hello,
    Order,
    PlainOrder,
    Reply,
    ScaleStatus,
    StrengthReading,
    Watch,
    WeightLine,
    read_line,
    written,
)
from vapocline.devices.simulators import serving

LAG_S = 0.2
NOISE_G = 0.03
STEP_G = 0.1
TARED_G = 0.15
CUP_FELT_G = 20.0
TDS_NOISE_PCT = 0.05
LEAST_SAMPLE_G = 2.0
SAMPLE_C = 24.0
RETRY_S = 0.3
FIRST_SIGHT_S = 0.8


class CupUnderMachine:
    """What truly stands under a machine, followed for as long as anyone asks."""

    def __init__(self, address: str, name: str, told: Callable[[CupLine], None]) -> None:
        """Follow the cup of the machine simulator at "code@host:port"."""
        to = LineAddress.parse(address)
        self._where, self._told = (to.host, to.port), told
        self._hello = Hello(name=name, code=to.code or os.environ.get(serving.CODE_VARIABLE, ""))
        self.seen: CupLine | None = None
        self._first = asyncio.Event()
        self.task = asyncio.create_task(self._follow())

    async def known(self) -> None:
        """Return once the cup was seen, or after a moment without."""
        with contextlib.suppress(TimeoutError):
            async with asyncio.timeout(FIRST_SIGHT_S):
                await self._first.wait()

    async def _follow(self) -> None:
        while True:
            with contextlib.suppress(OSError, DeviceError):
                reader, writer = await asyncio.open_connection(*self._where)
                for order in (self._hello, Watch(of="cup")):
                    writer.write(written(order))
                while raw := await reader.readline():
                    line = read_line(raw)
                    if isinstance(line, CupLine):
                        self.seen = line
                        self._told(line)
                        self._first.set()
            await asyncio.sleep(RETRY_S)


class SimulatedScale:
    """A scale: it lags, it is noisy, it reads in tenths, and what it told it forgets."""

    def __init__(self, cups: str, name: str, seed: int) -> None:
        """`cups` is where the machines' simulators answer."""
        self._dice = np.random.default_rng(seed)
        self.packet_loss = serving.PacketLoss(np.random.default_rng(seed + 1))
        self.silent_s = serving.never_silent
        self._began = time.monotonic()
        self._felt: float | None = None
        self._last_t = 0.0
        self._tare: float | None = 0.0
        self._seq = 0
        self._line: WeightLine | None = None
        self._news = asyncio.Condition()
        self._cup = CupUnderMachine(cups, name, self._feel)

    async def ready(self) -> None:
        """It must have seen the cup once."""
        await self._cup.known()

    def obey(self, order: Order) -> Reply:
        """Do as told. Raises DeviceError with the reason where it cannot."""
        match order:
            case PlainOrder(do="status"):
                return Reply(to=order.do, ok=True, scale=self._status())
            case PlainOrder(do="tare"):
                if self._cup.seen is not None and not self._cup.seen.sees:
                    raise DeviceError("it is switched off")
                self._tare = self._line = None  # by what it feels next
            case Watch():
                pass
            case GoWrong() if self.packet_loss.go_wrong(order):
                pass
            case _:
                raise DeviceError("a scale does not support that")
        return Reply(to=order.do, ok=True, name="Simulated scale")

    def _sees(self) -> bool:
        return self._cup.seen is not None and self._cup.seen.sees

    def _status(self) -> ScaleStatus:
        if self._felt is None or not self._sees():
            return ScaleStatus()
        shown = 0.0 if self._tare is None else self._felt - self._tare
        return ScaleStatus(
            weight_g=_stepped(shown), tared=abs(shown) < TARED_G, cup=self._felt > CUP_FELT_G
        )

    def _feel(self, cup: CupLine) -> None:
        """Follow what lies on it, with the lag of its own."""
        load = cup.cup_g + cup.yield_g
        passed = cup.t - self._last_t
        self._last_t = cup.t
        if self._felt is None or self._tare is None or passed <= 0:  # it has come to rest
            self._felt = load
        else:
            self._felt += (load - self._felt) * (1.0 - math.exp(-passed / LAG_S))
        if self._tare is None:
            self._tare = self._felt
        if cup.sees:
            noisy = self._felt - self._tare + NOISE_G * float(self._dice.normal())
            self._line = WeightLine(
                seq=self._seq,
                t=round(time.monotonic() - self._began, 3),
                at=round(time.time(), 4),
                weight_g=_stepped(noisy),
            )
            self._seq += 1
            asyncio.get_running_loop().create_task(self._wake())

    async def _wake(self) -> None:
        async with self._news:
            self._news.notify_all()

    async def tell(self, stream: serving.Stream, watch: Watch) -> None:
        """Each reading as it comes; what is past is past."""
        del watch
        told: WeightLine | None = None
        with contextlib.suppress(ConnectionError):
            while True:
                if self._line is not None and self._line is not told:
                    told = self._line
                    if self._sees():
                        await stream.send(told)
                async with self._news:
                    while self._line is told:
                        await self._news.wait()


class SimulatedRefractometer:
    """A refractometer: it reads what was pulled last, when there is enough of it."""

    def __init__(self, cups: str, name: str, seed: int) -> None:
        """`cups` is where the machines' simulators answer."""
        self._dice = np.random.default_rng(seed)
        self.packet_loss = serving.PacketLoss(np.random.default_rng(seed + 1))
        self.silent_s = serving.never_silent
        self._cup = CupUnderMachine(cups, name, lambda _cup: None)

    async def ready(self) -> None:
        """It must have seen the cup once."""
        await self._cup.known()

    def obey(self, order: Order) -> Reply:
        """Do as told. Raises DeviceError with the reason where it cannot."""
        if not isinstance(order, PlainOrder) or order.do != "read":
            raise DeviceError("a refractometer does not support that")
        cup = self._cup.seen
        if cup is None or cup.yield_g < LEAST_SAMPLE_G:
            raise DeviceError("there is no drink to take a sample of")
        noisy = max(0.01, cup.tds_pct + TDS_NOISE_PCT * float(self._dice.normal()))
        reading = StrengthReading(tds_pct=round(noisy, 2), sample_c=SAMPLE_C)
        return Reply(to=order.do, ok=True, name="Simulated refractometer", strength=reading)

    async def tell(self, stream: serving.Stream, watch: Watch) -> None:
        """It has nothing to tell of itself."""


def _stepped(weight: float) -> float:
    return round(round(weight / STEP_G) * STEP_G, 3) + 0.0


async def serve_cups(*, kind: str, port: int, seed: int, cups: str) -> None:
    """Scales, or refractometers, under every machine that is asked for by name."""
    made_as = SimulatedScale if kind == "scale" else SimulatedRefractometer

    def make(name: str) -> SimulatedScale | SimulatedRefractometer:
        return made_as(cups, name, serving.seed_of(seed, name))

    await serving.listen(make, port)
