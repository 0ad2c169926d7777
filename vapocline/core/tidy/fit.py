"""The fewest stages that follow a curve within a tolerance, made plain: levels, ramps and jumps."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.profile.stages import Stage, best_stages
from vapocline.core.tidy.curve import GRID_S, Curve

MOST_STAGES = 10
QUIET_ML_S = 0.12  # less than this and the pump is off
LEAST_OFF_S = 2.0
FOLLOWED = 92.0  # per cent of the time the tolerance must hold: corners are rounded by the machine
HUMP_S = 4.0  # an overshoot is over by then
HUMP_SHARE = 0.35  # of the level it settles at
LEAST_STAGE_S = 0.6
LEAVING = 0.1  # of a jump's height


class Part(NamedTuple):
    """One stage of the tidied shot. `off` is a rest with the pump off."""

    start_s: float
    end_s: float
    start: float
    end: float
    off: bool = False

    @property
    def level(self) -> bool:
        """Whether it is held."""
        return self.start == self.end


def parts_of(
    curve: Curve, tolerance: float, *, jump_s: float, flatten: bool, rests: bool
) -> list[Part]:
    """The curve as parts. `jump_s` is how long the machine takes to follow a jump of its command;
    with `rests` a pause of the pump becomes one; with `flatten` overshoots go."""
    found: list[Part] = []
    for begin, end, off in _spans(curve, rests=rests):
        if off:
            found.append(Part(curve.time_s[begin], _at(curve, end), 0.0, 0.0, off=True))
            continue
        t, v = curve.time_s[begin:end], curve.level[begin:end]
        stages = _fewest(t, v, tolerance)
        parts = [Part(s.start_s, s.end_s, s.start, s.end) for s in stages]
        parts = _plain(parts, tolerance)
        if flatten:
            parts = _flattened(parts)
        joined = _joined(_without_lag(parts, jump_s), tolerance)
        settled = _settled(joined, t, v, jump_s, tolerance)
        found.extend(_looked_at_closely(settled, t, v, jump_s))
    return found


def levels_at(parts: list[Part], t: Floats) -> Floats:
    """What the parts ask for, moment by moment; nan with the pump off."""
    asked = np.full(t.shape, np.nan)
    for part in parts:
        inside = (t >= part.start_s - 1e-9) & (t < part.end_s - 1e-9)
        if not part.off:
            asked[inside] = np.interp(t[inside], (part.start_s, part.end_s), (part.start, part.end))
    return asked


def _at(curve: Curve, index: int) -> float:
    return float(curve.time_s[index]) if index < curve.time_s.size else curve.stop_s + GRID_S


def _spans(curve: Curve, *, rests: bool) -> list[tuple[int, int, bool]]:
    """Runs of pumping and of rest, as (from, to, off)."""
    n = curve.time_s.size
    if not rests:
        return [(0, n, False)]
    quiet = curve.flow_ml_s < QUIET_ML_S
    quiet[: round(0.5 / GRID_S)] = False  # the pump comes up
    edges = np.flatnonzero(np.diff(np.concatenate([[False], quiet, [False]]).astype(int)))
    found, at = [], 0
    for begin, end in edges.reshape(-1, 2):
        if (end - begin) * GRID_S < LEAST_OFF_S or end >= n:
            continue
        if begin > at:
            found.append((at, int(begin), False))
        found.append((int(begin), int(end), True))
        at = int(end)
    if at < n:
        found.append((at, n, False))
    return found


def _fewest(t: Floats, v: Floats, tolerance: float) -> list[Stage]:
    if t.size < 4:
        level = float(np.mean(v))
        return [Stage(float(t[0]), float(t[-1]) + GRID_S, level, level)]
    candidates = best_stages(t, v, min(MOST_STAGES, t.size - 1), ramps=True)
    for stages in candidates:
        asked = levels_at([Part(*stage) for stage in stages], t)
        if np.nanpercentile(np.abs(asked - v), FOLLOWED) <= tolerance:
            return stages
    return candidates[-1]


def _plain(parts: list[Part], tolerance: float) -> list[Part]:
    """What hardly moves is held."""
    found = []
    for part in parts:
        if abs(part.end - part.start) <= 1.1 * tolerance:
            middle = (part.start + part.end) / 2
            found.append(part._replace(start=middle, end=middle))
        else:
            found.append(part)
    return found


def _flattened(parts: list[Part]) -> list[Part]:
    """An overshoot that soon settles becomes the level it settles at."""
    found: list[Part] = []
    for index, part in enumerate(parts):
        after = parts[index + 1] if index + 1 < len(parts) else None
        settles = after.start if after else part.end
        before = found[-1] if found else None
        top = max(part.start, part.end)
        falls = part.end < part.start or (part.level and after is not None and after.start < top)
        rose = before is not None and before.end < part.start + 1e-9 and before.start < before.end
        short = part.end_s - part.start_s <= HUMP_S
        hump = falls and short and (rose or before is None or before.end < settles)
        near = top - settles <= HUMP_SHARE * max(settles, 1e-6)
        if hump and near and after is not None and after.level:
            found.append(Part(part.start_s, part.end_s, settles, settles))
            continue
        found.append(part)
    return found


def _without_lag(parts: list[Part], jump_s: float) -> list[Part]:
    """A ramp as short as the machine's lag was a jump: what follows begins with it."""
    found: list[Part] = []
    pending: float | None = None
    if len(parts) > 1 and parts[0].end_s - parts[0].start_s <= jump_s:  # the pump comes up
        pending, parts = parts[0].start_s, parts[1:]
    for index, part in enumerate(parts):
        start = part.start_s if pending is None else pending
        length = part.end_s - part.start_s
        last = index + 1 >= len(parts)
        if not part.level and length <= jump_s and not last:
            pending = start
            continue
        found.append(part._replace(start_s=start) if part.level or pending is None else part)
        if pending is not None and not part.level:  # a longer ramp after a jump: keep its slope
            found[-1] = part._replace(start_s=start)
        pending = None
    return found


def _joined(parts: list[Part], tolerance: float) -> list[Part]:
    """Neighbours that say the same are one; ramps begin and end where their neighbours stand."""
    found: list[Part] = []
    for part in parts:
        before = found[-1] if found else None
        short = part.end_s - part.start_s < LEAST_STAGE_S
        same = before and before.level and part.level and abs(before.end - part.start) <= tolerance
        if before and (same or short):
            length, added = before.end_s - before.start_s, part.end_s - part.start_s
            level = before.end
            if same:
                level = (before.end * length + part.start * added) / (length + added)
            start = level if before.level else before.start
            found[-1] = before._replace(end_s=part.end_s, start=start, end=level)
        else:
            found.append(part)
    for index in range(1, len(found)):
        before, part = found[index - 1], found[index]
        if abs(before.end - part.start) > 2 * tolerance:
            continue
        if before.level and not part.level:
            found[index] = part._replace(start=before.end)
        elif part.level and not before.level:
            found[index - 1] = before._replace(end=part.start)
        elif not part.level:
            middle = (before.end + part.start) / 2
            found[index - 1] = before._replace(end=middle)
            found[index] = part._replace(start=middle)
    return found


def _settled(
    parts: list[Part], t: Floats, v: Floats, jump_s: float, tolerance: float
) -> list[Part]:
    """Refit each ramp that follows a jump without the jump; one that barely moves is a hold."""
    found = list(parts)
    for index in range(1, len(found)):
        before, part = found[index - 1], found[index]
        jumped = abs(before.end - part.start) > 2 * tolerance
        inside = (t >= part.start_s + jump_s) & (t < part.end_s - GRID_S)
        if part.level or not jumped or part.end_s - part.start_s < 3 * jump_s:
            continue
        slope, level = np.polyfit(t[inside] - part.start_s, v[inside], 1)
        moved = float(slope) * (part.end_s - part.start_s)
        if abs(moved) <= 1.1 * tolerance:
            middle = float(np.median(v[inside]))
            found[index] = part._replace(start=middle, end=middle)
        else:
            found[index] = part._replace(start=float(level), end=float(level) + moved)
    return found


def _looked_at_closely(parts: list[Part], t: Floats, v: Floats, jump_s: float) -> list[Part]:
    """Jumps placed where the curve begins to leave its level; levels told without the jump."""
    found = list(parts)
    for index in range(1, len(found)):
        before, part = found[index - 1], found[index]
        if not (before.level and part.level):
            continue
        near = (t >= max(before.start_s, part.start_s - jump_s)) & (t < part.start_s + jump_s)
        share = (v[near] - before.end) / (part.start - before.end)
        left = np.flatnonzero(share > LEAVING)
        if left.size and left[0] > 0:
            at = float(t[near][left[0] - 1])
            found[index - 1], found[index] = before._replace(end_s=at), part._replace(start_s=at)
    for index, part in enumerate(found):
        if part.level and part.end_s - part.start_s > 2 * jump_s:
            inside = v[(t >= part.start_s + jump_s) & (t < part.end_s - GRID_S)]
            if inside.size:
                middle = float(np.median(inside))
                found[index] = part._replace(start=middle, end=middle)
    return found
