"""What happened during a shot: one type for each kind of event, at its time from pump on."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Annotated, Literal, NamedTuple, TypeVar, get_args

from pydantic import Field

from vapocline.core.base.document import Document
from vapocline.core.machine.commands import Variable
from vapocline.core.profile.profile import ExitName

StopReason = Literal["cup_g", "water_ml", "time_s", "plan_end", "hand", "left_alone"]
EndedOn = ExitName | Literal["skip"] | StopReason
Mark = Literal["first_bead", "face_covered", "dry_side", "first_drip", "blond", "spurt"]
Alarm = Literal["no_flow", "scale_silent", "cup_lifted", "off_band", "over_pressure"]


class Timed(Document):
    """An event at its time from pump on, s."""

    time_s: float


class PhaseBegan(Timed):
    """A phase began; `after` is what ended the one before it, None for the first."""

    kind: Literal["phase_began"] = "phase_began"
    phase: int
    after: EndedOn | None = None


class Stopped(Timed):
    """The pump stopped; `reason` None where the device did not say."""

    kind: Literal["stopped"] = "stopped"
    reason: EndedOn | None = None


class Nudged(Timed):
    """A hand changed the variable in force by so much, in its unit."""

    kind: Literal["nudged"] = "nudged"
    phase: int | None = None
    control: Variable
    by: float


class Held(Timed):
    """A hand let the phase stand still."""

    kind: Literal["held"] = "held"
    phase: int | None = None


class Released(Timed):
    """A held phase went on."""

    kind: Literal["released"] = "released"
    phase: int | None = None


class TakenOver(Timed):
    """A hand took over a variable, at a level in its unit."""

    kind: Literal["taken_over"] = "taken_over"
    phase: int | None = None
    control: Variable
    level: float


class GivenBack(Timed):
    """The program went on where a hand had taken over."""

    kind: Literal["given_back"] = "given_back"
    phase: int | None = None


class Marked(Timed):
    """Somebody saw something at the machine and said so."""

    kind: Literal["marked"] = "marked"
    phase: int | None = None
    mark: Mark


class FirstDrip(Timed):
    """The first drip, felt by the scale or seen by somebody."""

    kind: Literal["first_drip"] = "first_drip"
    seen_by: Literal["scale", "hand"] = "scale"


class ReliefOpened(Timed):
    """The relief valve opened."""

    kind: Literal["relief_opened"] = "relief_opened"


class TankEmpty(Timed):
    """The machine ran out of water."""

    kind: Literal["tank_empty"] = "tank_empty"


class ConnectionLost(Timed):
    """The machine stopped answering; `message` says how."""

    kind: Literal["connection_lost"] = "connection_lost"
    message: str


class ConnectionRestored(Timed):
    """The machine answers again."""

    kind: Literal["connection_restored"] = "connection_restored"


class RecordingResumed(Timed):
    """The recorder had stopped; another one went on."""

    kind: Literal["recording_resumed"] = "recording_resumed"


class AlarmRaised(Timed):
    """Something goes wrong, in words."""

    kind: Literal["alarm_raised"] = "alarm_raised"
    alarm: Alarm
    message: str


class RecoveryOffered(Timed):
    """What would bring the shot back, in words; `by` None where no nudge would."""

    kind: Literal["recovery_offered"] = "recovery_offered"
    message: str
    control: Variable | None = None
    by: float | None = None


Event = Annotated[
    PhaseBegan
    | Stopped
    | Nudged
    | Held
    | Released
    | TakenOver
    | GivenBack
    | Marked
    | FirstDrip
    | ReliefOpened
    | TankEmpty
    | ConnectionLost
    | ConnectionRestored
    | RecordingResumed
    | AlarmRaised
    | RecoveryOffered,
    Field(discriminator="kind"),
]
EventKind = Literal[
    "phase_began",
    "stopped",
    "nudged",
    "held",
    "released",
    "taken_over",
    "given_back",
    "marked",
    "first_drip",
    "relief_opened",
    "tank_empty",
    "connection_lost",
    "connection_restored",
    "recording_resumed",
    "alarm_raised",
    "recovery_offered",
]
EVENT_KINDS: tuple[EventKind, ...] = get_args(EventKind)

EventType = TypeVar("EventType", bound=Timed)


def events_of(events: Sequence[Event], kind: type[EventType]) -> Iterator[EventType]:
    """The events of one kind, in order."""
    return (event for event in events if isinstance(event, kind))


def first_of(events: Sequence[Event], kind: type[EventType]) -> EventType | None:
    """The first event of a kind, None where there was none."""
    return next(events_of(events, kind), None)


BY_HAND = ("hand", "left_alone", "skip")


def steered(events: Sequence[Event]) -> bool:
    """Whether a hand had a part in how a shot ran or when it ended."""
    stopped = first_of(events, Stopped)
    by_hand = stopped is not None and stopped.reason in BY_HAND
    return by_hand or bool(corrections_in(events))


class Span(NamedTuple):
    """One phase as it ran: from when to when, s, and what ended it."""

    phase: int
    start_s: float
    end_s: float
    ended_on: EndedOn | None


def phase_spans(events: Sequence[Event], last_s: float) -> list[Span]:
    """Each phase as it ran; one that was cut off ends with the record, at `last_s`."""
    began = list(events_of(events, PhaseBegan))
    stopped = first_of(events, Stopped)
    found = []
    for index, event in enumerate(began):
        if index + 1 < len(began):
            then = began[index + 1]
            found.append(Span(event.phase, event.time_s, then.time_s, then.after))
        elif stopped is not None:
            found.append(Span(event.phase, event.time_s, stopped.time_s, stopped.reason))
        else:
            found.append(Span(event.phase, event.time_s, last_s, None))
    return found


CORRECTION_KINDS: tuple[EventKind, ...] = (
    "nudged", "held", "released", "taken_over", "given_back",
)  # fmt: skip


def corrections_in(events: Sequence[Event]) -> list[Event]:
    """What hands did to the course of the shot, in order."""
    return [
        event
        for event in events
        if event.kind in CORRECTION_KINDS
        or (isinstance(event, PhaseBegan) and event.after in ("skip", "hand"))
    ]
