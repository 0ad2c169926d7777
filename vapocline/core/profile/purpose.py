"""What a version of a profile is pulled for."""

from __future__ import annotations

from typing import Literal

Purpose = Literal["black", "milk", "long"]
