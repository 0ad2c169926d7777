"""The cue sheet of a machine worked by hand: what to do, until what, and what comes then."""

from __future__ import annotations

import numpy as np

from vapocline.core.base.amounts import grams, millilitres
from vapocline.core.base.arrays import Floats
from vapocline.core.base.document import Answer
from vapocline.core.machine.commands import bar_per_unit
from vapocline.core.machine.machine import Machine, SoftStart, SpringLever
from vapocline.core.profile.differences import ALONG_UNITS, UNITS, exit_words
from vapocline.core.profile.profile import (
    Exit,
    ForceCommand,
    OffCommand,
    Phase,
    PressureCommand,
    Profile,
    Shape,
    SpringCommand,
    ValveCommand,
)


class Call(Answer):
    """A level of a moving phase as it is called out: when it is due, s into the phase."""

    level: float
    unit: str
    at_s: float


class Cue(Answer):
    """One cue. `gates` are what shows its end, none where only the stop is left.

    `calls` are the whole bars, or quarter turns, that a hand passes in a phase that moves in time.
    """

    phase: int
    say: str
    until: str
    gates: tuple[Exit, ...]
    calls: tuple[Call, ...] = ()


def cue_sheet(profile: Profile, machine: Machine) -> list[Cue]:
    """The cues of a profile on a machine, in order, the stop last.

    Nothing ends the last phase but the stop: a machine worked by hand has no end of the plan.
    """
    last = len(profile.phases) - 1
    cues = [
        Cue(
            phase=index,
            say=said(phase, machine),
            until=_until(phase) if index < last else "until the stop",
            gates=phase.exits if index < last else (),
            calls=calls_of(phase, machine),
        )
        for index, phase in enumerate(profile.phases)
    ]
    stop = Cue(
        phase=len(cues),
        say="Stop",
        until=_stop_words(profile),
        gates=(),
    )
    return [*cues, stop]


def said(phase: Phase, machine: Machine) -> str:
    """What to do in a phase, short enough to be read from the machine."""
    command, control = phase.command, machine.control
    if isinstance(command, OffCommand):
        return _at_rest(machine)
    if isinstance(command, SpringCommand):
        springs = "" if command.springs == 1 else " on both springs"
        return f"Let the lever go{springs}"
    if isinstance(control, SpringLever):
        return "Draw the lever down"
    if isinstance(control, SoftStart):
        return "Switch the pump on"
    unit = UNITS[command.control]
    verb = {"force": "Press", "valve": "Open to"}.get(command.control, "Hold")
    if command.from_ == command.to or phase.over == 0:
        return f"{verb} {command.to:g} {unit}"
    over = f"over {phase.over:g} {ALONG_UNITS[phase.along]}"
    return f"{verb} {command.from_:g} to {command.to:g} {unit} {over}"


def calls_of(phase: Phase, machine: Machine) -> tuple[Call, ...]:
    """Whole bars, or quarter turns, with the seconds at which a moving phase passes them.

    None where it holds, or moves along water or cup: then no clock can call.
    """
    command = phase.command
    if not isinstance(command, PressureCommand | ForceCommand | ValveCommand):
        return ()
    if phase.along != "time" or phase.over <= 0 or phase.shape == "step":
        return ()
    valve = isinstance(command, ValveCommand)
    scale = bar_per_unit(command.control, machine)
    step, unit = (0.25, "turns") if valve else (1.0, "bar")
    start, end = command.from_ * scale, command.to * scale
    if abs(end - start) < step:
        return ()
    share = np.linspace(0, 1, 401)
    level = start + (end - start) * shaped(share, phase.shape)
    low, high = sorted((start, end))
    due = np.arange(np.ceil(low / step - 1e-9), np.floor(high / step + 1e-9) + 1) * step
    rising = end > start
    at = np.interp(due, level if rising else level[::-1], share if rising else share[::-1])
    passed = sorted(zip((at * phase.over).tolist(), due.tolist(), strict=True))
    return tuple(Call(level=round(bar, 2), unit=unit, at_s=round(t, 1)) for t, bar in passed)


def shaped(share: Floats, shape: Shape) -> Floats:
    """How far a move has come, 0 to 1, at a share of its length: as the kernel moves."""
    if shape == "smooth":
        return share * share * (3 - 2 * share)
    if shape == "spring":
        sprung: Floats = (1 - np.exp(-2 * share)) / (1 - np.exp(-2.0))
        return sprung
    return share.copy()


def _at_rest(machine: Machine) -> str:
    words = {
        "hand-lever": "Rest: no weight on the lever",
        "valve": "Close the valve",
        "spring-lever": "Hold the lever at the bottom",
    }
    return words.get(machine.control.kind, "Switch the pump off")


def _until(phase: Phase) -> str:
    said_first = [exit_words(rule) for rule in phase.exits if rule.when != "seconds"]
    timed = [exit_words(rule) for rule in phase.exits if rule.when == "seconds"]
    if not said_first:
        return f"for {timed[0]}" if timed else "until you signal"
    return f"until {' or '.join(said_first)}" + (f", {timed[0]} at most" if timed else "")


def _stop_words(profile: Profile) -> str:
    stop = profile.stop
    if stop.cup_g is not None:
        return f"at {grams(stop.cup_g)} in the cup"
    if stop.water_ml is not None:
        return f"at {millilitres(stop.water_ml)} pumped"
    return f"at {stop.time_s:g} s"
