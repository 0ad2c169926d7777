"""Which limits held the achieved off the commanded, from when to when, in words."""

from __future__ import annotations

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.profile.profile import Profile
from vapocline.core.puck import columns
from vapocline.core.puck.answer import Binding, LimitKind

LEAST_BINDING_S = 0.3  # shorter touches of a limit are not worth a word

LIMITS: tuple[tuple[int, LimitKind], ...] = (
    (columns.BINDS_FLOW_LIMIT, "flow limit"),
    (columns.BINDS_PRESSURE_LIMIT, "pressure limit"),
    (columns.BINDS_PUMP, "pump curve"),
    (columns.BINDS_RELIEF, "relief valve"),
    (columns.BINDS_FLOOR, "plumbed feed"),
    (columns.BINDS_STROKE, "stroke"),
    (columns.BINDS_SOFT_START, "soft start"),
)
IN_BAR = ("pressure", "spring", "force")


def bindings_of(profile: Profile, samples: Floats) -> list[Binding]:
    """Every limit met for long enough to matter, in order of time."""
    found = []
    flags = samples[:, columns.S_BINDING].astype(np.int64)
    met = int(np.bitwise_or.reduce(flags))
    for bit, what in LIMITS:
        if not met & bit:
            continue
        edges = np.flatnonzero(np.diff(np.concatenate(([0], (flags & bit) > 0, [0])).astype(int)))
        for first, after in zip(edges[::2], edges[1::2], strict=True):
            held = samples[first:after]
            start, end = held[0, columns.S_TIME], held[-1, columns.S_TIME]
            if end - start >= LEAST_BINDING_S:
                phase = min(int(held[0, columns.S_PHASE]), len(profile.phases) - 1)
                found.append(
                    Binding(
                        what=what,
                        from_s=round(start, 2),
                        to_s=round(end, 2),
                        phase=phase,
                        words=_words(what, profile, phase, held),
                    )
                )
    return sorted(found, key=lambda binding: binding.from_s)


def bound_in(samples: Floats) -> set[tuple[LimitKind, int]]:
    """Active limits in which phase of a run, however briefly."""
    flags = samples[:, columns.S_BINDING].astype(np.int64)
    phases = samples[:, columns.S_PHASE].astype(np.int64)
    return {
        (what, int(phase)) for bit, what in LIMITS for phase in np.unique(phases[(flags & bit) > 0])
    }


def _words(what: LimitKind, profile: Profile, index: int, held: Floats) -> str:  # noqa: PLR0911
    phase = profile.phases[index]
    control = phase.command.control
    in_bar = control in IN_BAR
    achieved = held[:, columns.S_P if in_bar else columns.S_Q_IN]
    missed = held[:, columns.S_TARGET] - achieved
    under = float(np.nanmax(missed)) if control != "valve" and np.isfinite(missed).any() else 0.0
    unit = "bar" if in_bar else "mL/s"
    gap = f"up to {under:.1f} {unit} under" if under >= 0.05 else "as commanded"
    match what:
        case "flow limit":
            return f"flow limit {phase.limit.flow_ml_s:g} mL/s holds it {gap}"
        case "pressure limit":
            return f"pressure limit {phase.limit.pressure_bar:g} bar holds it {gap}"
        case "pump curve":
            return f"the pump gives all it can, {gap}"
        case "relief valve":
            return "the relief valve opens"
        case "plumbed feed":
            return "the plumbed feed pushes harder than commanded"
        case "stroke":
            return "the lever is up and presses no more"
        case "soft start":
            return f"the pump is still coming up, {gap}"
