"""What can hurt or break, said where it applies: by the machine's kind and what is planned."""

from __future__ import annotations

from vapocline.core.machine.machine import HandLever, Machine, SpringLever, ValveAhead
from vapocline.core.profile.profile import OffCommand, Profile

ALWAYS = (
    "Hot water, steam and metal burn. Never take the portafilter out under pressure: wait until "
    "the gauge reads zero."
)
SPRING = (
    "A spring lever kicks: keep your hand on it and your face away until it has caught. It keeps "
    "pressing after the cup is gone."
)
VALVE = (
    "The line behind the valve is at full pump pressure: turn the knob only, never a fitting, and "
    "close it before the basket comes out."
)
PLUMBED = (
    "The plumbed feed presses on, about {:g} bar, with the pump off: close it off and wait for "
    "zero before the basket comes out."
)
HAND = "A lever under load comes back when it is let go: let it up slowly, with the hand on it."
DUMPS = "This machine drains hot water whenever its pump stops: keep hands clear."
HOLDS = "When its pump stops this machine holds its pressure: the puck stays under it."
RELIEF = "The relief valve may open here, and spits hot water: keep clear of its outlet."
RATED = (
    "This presses harder than most shots: stay below what the maker rates the machine for, and "
    "leave its pressure screws and plumbing to its manual and a licensed technician."
)
NEAR_RELIEF_BAR, HARD_BAR = 0.5, 10.0


def drains(machine: Machine) -> bool:
    """Whether a machine dumps hot water at every stop of its pump; a lever has none."""
    lever = isinstance(machine.control, SpringLever | HandLever)
    return machine.when_off == "dump" and not lever


def cautions_for(machine: Machine, profile: Profile, peak_bar: float | None) -> list[str]:
    """The cautions that apply to this plan, most particular first; never empty.

    `peak_bar` is the predicted peak, or None where there is no prediction.
    """
    said = []
    if isinstance(machine.control, SpringLever):
        said.append(SPRING)
    if isinstance(machine.control, HandLever):
        said.append(HAND)
    if isinstance(machine.control, ValveAhead):
        said.append(VALVE)
    if machine.floor_bar > 0:
        said.append(PLUMBED.format(machine.floor_bar))
    rests = any(isinstance(phase.command, OffCommand) for phase in profile.phases)
    if drains(machine):
        said.append(DUMPS)
    elif rests and machine.when_off == "hold":
        said.append(HOLDS)
    if peak_bar is not None and peak_bar >= machine.relief_bar - NEAR_RELIEF_BAR:
        said.append(RELIEF)
    if peak_bar is not None and peak_bar > HARD_BAR:
        said.append(RATED)
    return [*said, ALWAYS]
