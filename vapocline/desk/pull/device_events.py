"""What a machine reports of a shot, as events."""

from __future__ import annotations

from pydantic import TypeAdapter, ValidationError

from vapocline.core.shot.events import Event
from vapocline.devices.messages import EventLine

_EVENT: TypeAdapter[Event] = TypeAdapter(Event)

# By the word on the line: the kind of event, and what its `because` and `value` are called there.
KINDS = {
    "phase": ("phase_began", "after", None),
    "stop": ("stopped", "reason", None),
    "nudge": ("nudged", "control", "by"),
    "hold": ("held", None, None),
    "go_on": ("released", None, None),
    "take": ("taken_over", "control", "level"),
    "give_back": ("given_back", None, None),
    "mark": ("marked", "mark", None),
    "relief": ("relief_opened", None, None),
    "water_empty": ("tank_empty", None, None),
}
KEPT_WITHOUT_REASON = ("phase", "stop")  # also with a reason this version does not know


def event_of(line: EventLine) -> Event | None:
    """The event a machine reported; None for one this version does not know. A phase that began or
    a stop keeps its time, whatever its reason is called."""
    kind, because, value = KINDS[line.what]
    fields = {"kind": kind, "time_s": line.t, "phase": line.phase}
    for name, value_of in ((because, line.because), (value, line.value)):
        if name is not None:
            fields[name] = value_of
    known = {name: one for name, one in fields.items() if one is not None}
    try:
        return _EVENT.validate_python(known)
    except ValidationError:
        if line.what in KEPT_WITHOUT_REASON and because in known:
            return event_of(line.model_copy(update={"because": None}))
        return None
