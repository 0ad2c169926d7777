"""What was done to a running shot, as a profile that would do it by itself."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise
from typing import Any, Literal, NamedTuple

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.base.problems import Problem, Refused
from vapocline.core.machine.commands import Variable, bar_per_unit, step_of, top_of
from vapocline.core.machine.machine import Machine
from vapocline.core.machine.steps import to_machine_steps
from vapocline.core.profile.profile import MOST_PHASES, Phase, Profile
from vapocline.core.profile.stages import Stage, best_stages
from vapocline.core.puck.program import CONTROLS
from vapocline.core.pull.steering import taken_over_with
from vapocline.core.shot.events import (
    Event,
    GivenBack,
    Held,
    Nudged,
    PhaseBegan,
    Released,
    Span,
    TakenOver,
    corrections_in,
    events_of,
)
from vapocline.core.shot.traces import Traces

AT_ONCE_S = 1.5  # corrections this close together are one
LEAST_S = 1.0  # a shorter piece joins its neighbour
HAND_TOLERANCE = 0.05  # of the top level: how closely a held level is followed
MOST_HAND_STAGES = 5


How = Literal["planned", "held", "hand"]


class Piece(NamedTuple):
    """A part of a phase under one correction."""

    start_s: float
    end_s: float
    how: How


def was_corrected(events: Sequence[Event], stopped_by_hand: bool) -> bool:
    """Whether hands did anything that a new version could take up."""
    return stopped_by_hand or any(
        not isinstance(event, PhaseBegan) or event.after == "skip"
        for event in corrections_in(events)
    )


def corrected(
    profile: Profile,
    machine: Machine,
    spans: Sequence[Span],
    events: Sequence[Event],
    traces: Traces,
    *,
    stopped_by_hand_g: float | None = None,
) -> Profile:
    """The profile with what was done during the shot written into it, on the machine's steps.

    Nudges move a phase's level from where they came, and later phases with it; a held level
    becomes a phase of its own; a level by hand becomes the fewest stages that follow it; a skipped
    phase ends by the clock; a stop by hand becomes the weight it came at, `stopped_by_hand_g`.
    Raises Refused where that takes more phases than a profile may have.
    """
    phases: list[Phase] = []
    offsets: dict[str, float] = {}
    done = corrections_in(events)
    for span in spans:
        phase = profile.phases[span.phase]
        inside = [
            one
            for one in done
            if span.start_s <= one.time_s < span.end_s or one.time_s == span.start_s
        ]
        phases.extend(_of_span(phase, machine, span, inside, offsets=offsets, traces=traces))
    ran = max((span.phase for span in spans), default=-1)
    phases.extend(_moved(phase, machine, offsets) for phase in profile.phases[ran + 1 :])
    if len(phases) > MOST_PHASES:
        got = f"{len(phases)} phases, one for each thing done"
        raise Refused([Problem("phases", got, f"at most {MOST_PHASES}")])
    stop = profile.stop
    if stopped_by_hand_g is not None and stopped_by_hand_g >= 1:
        stop = stop.model_copy(update={"cup_g": round(stopped_by_hand_g, 1)})
    made = profile.model_copy(update={"phases": tuple(phases), "stop": stop})
    return to_machine_steps(made, machine)


def _of_span(
    phase: Phase,
    machine: Machine,
    span: Span,
    events: Sequence[Event],
    *,
    offsets: dict[str, float],
    traces: Traces,
) -> list[Phase]:
    """The phases that one phase became."""
    control = phase.command.control
    pieces = _pieces(span, events)
    moves = [one for one in events_of(events, Nudged) if _how(pieces, one.time_s) == "planned"]
    cuts = _cuts(pieces, moves)
    if len(pieces) == 1 and pieces[0].how == "planned" and not cuts:
        for move in moves:
            offsets[control] = offsets.get(control, 0.0) + move.by
        whole = _moved(phase, machine, offsets)
        return [_ended_by_clock(whole, span) if span.ended_on == "skip" else whole]
    pieces = _cut(pieces, cuts)
    made: list[Phase] = []
    still_s = sum(p.end_s - p.start_s for p in pieces[:-1] if p.how != "planned")
    for number, piece in enumerate(pieces):
        last = number == len(pieces) - 1
        kept = still_s if last else None
        nudged = offsets.get(control, 0.0) + sum(
            move.by for move in moves if move.time_s <= piece.start_s
        )
        some = _of_piece(phase, machine, span, piece, traces=traces, nudged=nudged, still_s=kept)
        if number > 0 and piece.how == "planned":
            how = "nudged" if piece.start_s in cuts else "after"
            some = [one.model_copy(update={"name": _named(phase, how)}) for one in some]
        made.extend(some)
    for move in moves:
        offsets[control] = offsets.get(control, 0.0) + move.by
    return made


def _pieces(span: Span, events: Sequence[Event]) -> list[Piece]:
    """The phase cut where a hand held it still, or held its level."""
    pieces: list[Piece] = []
    how: How = "planned"
    at = span.start_s
    for event in events:
        then = _how_after(event)
        if then is None or then == how:
            continue
        if event.time_s - at >= LEAST_S / 2:
            pieces.append(Piece(at, event.time_s, how))
            at = event.time_s
        how = then
    if span.end_s - at >= LEAST_S / 2 or not pieces:
        pieces.append(Piece(at, span.end_s, how))
    return pieces


def _how_after(event: Event) -> How | None:
    """How the phase goes on after an event; None where it goes on as it did."""
    match event:
        case Held():
            return "held"
        case TakenOver():
            return "hand"
        case Released() | GivenBack():
            return "planned"
        case _:
            return None


def _how(pieces: Sequence[Piece], t: float) -> How:
    return next((p.how for p in pieces if p.start_s <= t <= p.end_s), "planned")


def _cuts(pieces: Sequence[Piece], moves: Sequence[Nudged]) -> list[float]:
    """Where nudges part the phase: those close together are one, those at an edge none."""
    times: list[float] = []
    for move in moves:
        if times and move.time_s - times[-1] < AT_ONCE_S:
            times[-1] = move.time_s
        else:
            times.append(move.time_s)
    return [
        t
        for t in times
        if any(p.start_s + LEAST_S <= t <= p.end_s - LEAST_S for p in pieces if p.how == "planned")
    ]


def _cut(pieces: Sequence[Piece], cuts: Sequence[float]) -> list[Piece]:
    found: list[Piece] = []
    for piece in pieces:
        inside = [t for t in cuts if piece.start_s < t < piece.end_s]
        edges = [piece.start_s, *inside, piece.end_s]
        found.extend(Piece(a, b, piece.how) for a, b in pairwise(edges))
    return found


def _of_piece(
    phase: Phase,
    machine: Machine,
    span: Span,
    piece: Piece,
    *,
    traces: Traces,
    nudged: float,
    still_s: float | None,
) -> list[Phase]:
    """One piece as phases; `nudged` is the offset in force, `still_s` is given for the last."""
    if piece.how == "hand":
        return _by_hand(phase, machine, piece, traces)
    inside = (traces.time_s > piece.start_s + 0.05) & (traces.time_s < piece.end_s - 0.02)
    asked = traces.commanded[inside]
    asked = asked[~np.isnan(asked)]
    document = phase.written()
    if asked.size and phase.command.control in ("pressure", "flow", "valve", "force"):
        unit = bar_per_unit(phase.command.control, machine)
        first, final = float(asked[0]) / unit, float(asked[-1]) / unit
        if still_s is not None and phase.over > 0 and piece.how == "planned":
            # The shot may have ended in mid move: the version makes the whole of it.
            planned = float(document["command"]["to"]) + nudged
            final = min(max(0.0, planned), top_of(phase.command.control, machine))
        document["command"] |= {"from": round(first, 3), "to": round(final, 3)}
        moves = abs(final - first) > 1e-3
        over = _over(phase, span, piece, traces, still_s) if moves else 0.0
        # Where no sensor told how far a move along water had come, its time is what is known.
        by_time = not moves or math.isnan(over)
        document["along"] = "time" if by_time else phase.along
        document["over"] = round(piece.end_s - piece.start_s if math.isnan(over) else over, 3)
    length = round(piece.end_s - piece.start_s, 1)
    if piece.how == "held":
        document["name"] = _named(phase, "held")
        document["kind"] = "hold" if document["command"]["control"] != "off" else phase.kind
    if still_s is not None and piece.how == "planned" and span.ended_on != "skip":
        document["exits"] = _left_over(phase, span, piece, traces, still_s)
    else:
        document["exits"] = [{"when": "seconds", "value": max(0.1, length)}]
    return [Phase.model_validate(document)]


def _by_hand(phase: Phase, machine: Machine, piece: Piece, traces: Traces) -> list[Phase]:
    """The held level as the fewest stages that follow it."""
    inside = (traces.time_s >= piece.start_s) & (traces.time_s <= piece.end_s)
    t, level = traces.time_s[inside], traces.by_hand[inside]
    known = ~np.isnan(level)
    t, level = t[known], level[known]
    control = _held_control(phase, machine)
    if t.size < 4:
        return []
    top = top_of(control, machine)
    candidates = best_stages(t, level, min(MOST_HAND_STAGES, t.size - 1), ramps=True)
    chosen = candidates[-1]
    for stages in candidates:
        if np.abs(_along(stages, t) - level).mean() < HAND_TOLERANCE * top:
            chosen = stages
            break
    step = step_of(control, machine)
    found = []
    for number, stage in enumerate(chosen, 1):
        start, end = (min(max(0.0, x), top) for x in (stage.start, stage.end))
        level_held = abs(start - end) < step
        seconds = round(max(0.1, stage.end_s - stage.start_s), 1)
        found.append(
            Phase.model_validate(
                {
                    "name": _named(phase, f"by hand {number}" if len(chosen) > 1 else "by hand"),
                    "kind": "hold" if level_held else "ramp" if end > start else "decline",
                    "command": {
                        "control": control,
                        "from": start,
                        "to": start if level_held else end,
                    },
                    "over": 0 if level_held else seconds,
                    "exits": [{"when": "seconds", "value": seconds}],
                }
            )
        )
    return found


def _along(stages: Sequence[Stage], t: Floats) -> Floats:
    """What stages ask for at each moment; before the first and after the last, their ends."""
    asked = np.full(t.shape, stages[0].start)
    for stage in stages:
        since = t >= stage.start_s
        asked[since] = np.interp(t[since], stage[:2], stage[2:])
    return asked


def _held_control(phase: Phase, machine: Machine) -> Variable:
    control = taken_over_with(machine, phase)
    assert control is not None
    return control


def _over(phase: Phase, span: Span, piece: Piece, traces: Traces, still_s: float | None) -> float:
    """How long a piece moves; the last one for all that is left of the move."""
    if still_s is None or piece.how != "planned":
        return _length(phase, piece, traces)
    gone = _length(phase, Piece(span.start_s, piece.start_s, "planned"), traces)
    if phase.along == "time":
        gone -= still_s
    return gone if math.isnan(gone) else max(0.1, phase.over - gone)


def _length(phase: Phase, piece: Piece, traces: Traces) -> float:
    """How long a piece of a move is, in what it goes along; nan where no sensor told."""
    if phase.along == "time":
        return piece.end_s - piece.start_s
    inside = (traces.time_s >= piece.start_s) & (traces.time_s <= piece.end_s)
    t = traces.time_s[inside]
    if phase.along == "water":
        return float(np.trapezoid(traces.water_in_ml_s[inside], t))
    cup = traces.cup_g[inside]
    if t.size and np.isnan(cup).all():
        return math.nan
    cup = cup[~np.isnan(cup)]
    return float(cup[-1] - cup[0]) if cup.size else 0.0


def _left_over(
    phase: Phase, span: Span, piece: Piece, traces: Traces, still_s: float
) -> list[dict[str, Any]]:
    """The phase's exits for its last piece: what counts from the phase's start has begun.

    `still_s` is how long it stood still before, which did not count.
    """
    before = Piece(span.start_s, piece.start_s, "planned")
    gone_s = piece.start_s - span.start_s - still_s
    inside = (traces.time_s >= before.start_s) & (traces.time_s <= before.end_s)
    gone_ml = (
        float(np.trapezoid(traces.water_in_ml_s[inside], traces.time_s[inside]))
        if inside.sum() > 1
        else 0.0
    )
    found: list[dict[str, Any]] = []
    for rule in phase.exits:
        document = rule.written()
        if rule.when == "seconds":
            document["value"] = round(max(0.5, rule.value - gone_s), 1)
        elif rule.when == "water_ml" and math.isnan(gone_ml):
            continue  # nobody knows how much is left: below it ends when it did
        elif rule.when == "water_ml":
            document["value"] = round(max(0.5, rule.value - gone_ml), 1)
        found.append(document)
    if not any(rule["when"] == "seconds" for rule in found) and math.isnan(gone_ml):
        length = round(max(0.5, piece.end_s - piece.start_s), 1)
        found.append({"when": "seconds", "value": length})
    return found


def _moved(phase: Phase, machine: Machine, offsets: dict[str, float]) -> Phase:
    """A phase with its level moved by what its variable was nudged."""
    control = phase.command.control
    offset = offsets.get(control, 0.0)
    if not offset or control not in CONTROLS:
        return phase
    top = top_of(control, machine)  # type: ignore[arg-type]
    document = phase.written()
    for end in ("from", "to"):
        document["command"][end] = round(min(max(0.0, document["command"][end] + offset), top), 3)
    return Phase.model_validate(document)


def _ended_by_clock(phase: Phase, span: Span) -> Phase:
    document = phase.written()
    document["exits"] = [
        {"when": "seconds", "value": round(max(0.5, span.end_s - span.start_s), 1)}
    ]
    return Phase.model_validate(document)


def _named(phase: Phase, how: str) -> str:
    return f"{phase.name[: 58 - len(how)]}, {how}"
