"""Our own line protocol over TCP: "host:port", or "host:port/name" where several answer there."""

from vapocline.devices.machine import LineMachine as Machine
from vapocline.devices.refractometer import LineRefractometer as Refractometer
from vapocline.devices.scale import LineScale as Scale

__all__ = ["Machine", "Refractometer", "Scale"]
