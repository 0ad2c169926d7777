"""The cue sheet of a machine worked by hand: what to do, until what, and what comes then."""

from __future__ import annotations

from vapocline.core.base.document import Answer
from vapocline.core.machine.machine import Machine, SoftStart, SpringLever
from vapocline.core.profile.differences import ALONG_UNITS, UNITS, exit_words
from vapocline.core.profile.profile import Exit, OffCommand, Phase, Profile, SpringCommand


class Cue(Answer):
    """One cue. `gates` are what shows its end, none where only the stop is left."""

    phase: int
    say: str
    until: str
    gates: tuple[Exit, ...]


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
        return f"at {stop.cup_g:g} g in the cup"
    if stop.water_ml is not None:
        return f"at {stop.water_ml:g} mL pumped"
    return f"at {stop.time_s:g} s"
