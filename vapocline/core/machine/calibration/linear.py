"""Straight fits and plain means, with slips named and the error stated."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy  # its parts are imported where they are first used

OUTLIER_TIMES = 6.0  # the others' median distance: about four of their standard deviations


@dataclass(frozen=True)
class Straight:
    """Coefficients of a least-squares fit, rows left out, and the rest's root mean square."""

    coefficients: tuple[float, ...]
    outliers: tuple[int, ...]
    error: float


def straight(
    columns: list[list[float]], y: list[float], worth: float, sds: list[float] | None = None
) -> Straight:
    """Fit y = Σ coefficient·column. A row further off than `worth` and than the others is left out.

    First with a loss that a slip hardly moves (Huber's soft L1), to find the slips; then plainly.
    Rows known to standard deviations `sds` count by them, and the error is that of the best of
    them.
    """
    wide = np.ones(len(y)) if sds is None else np.array(sds) / min(sds)
    a, b = np.array(columns, dtype=float).T / wide[:, None], np.array(y, dtype=float) / wide
    first = np.linalg.lstsq(a, b, rcond=None)[0]
    robust = scipy.optimize.least_squares(
        lambda c: a @ c - b, first, loss="soft_l1", f_scale=worth
    ).x
    off = np.abs(a @ robust - b)
    most = max(0, min(len(y) // 4, len(y) - a.shape[1] - 1))
    limit = max(worth, OUTLIER_TIMES * float(np.median(off)))
    out = [int(i) for i in np.argsort(-off)[:most] if off[i] > limit]
    kept = np.array([i for i in range(len(y)) if i not in out])
    coefficients = np.linalg.lstsq(a[kept], b[kept], rcond=None)[0]
    left = b[kept] - a[kept] @ coefficients
    freedom = max(1, kept.size - a.shape[1])
    error = float(np.sqrt(np.sum(left**2) / freedom))
    return Straight(tuple(float(c) for c in coefficients), tuple(sorted(out)), error)


@dataclass(frozen=True)
class Mean:
    """The mean, its rows' spread (standard deviation), and how well the mean itself is known."""

    value: float
    spread: float
    error: float
    outliers: tuple[int, ...]


def mean(values: list[float], worth: float) -> Mean:
    """The mean without slips: values further off the middle than `worth` and than the others."""
    v = np.array(values, dtype=float)
    off = np.abs(v - np.median(v))
    limit = max(worth, OUTLIER_TIMES * float(np.median(off)))
    out = [int(i) for i in np.argsort(-off)[: len(values) // 4] if off[i] > limit]
    kept = np.delete(v, out)
    spread = float(kept.std(ddof=1)) if kept.size > 1 else 0.0
    return Mean(float(kept.mean()), spread, spread / float(np.sqrt(kept.size)), tuple(sorted(out)))
