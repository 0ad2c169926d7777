"""What changed between two profiles, in words a barista would use."""

from __future__ import annotations

from collections.abc import Iterator
from difflib import SequenceMatcher
from itertools import zip_longest

from vapocline.core.base.amounts import amount, from_to, temperature
from vapocline.core.profile.profile import Exit, OffCommand, Phase, Profile, SpringCommand

UNITS = {"pressure": "bar", "flow": "mL/s", "valve": "turns", "force": "kg"}
ALONG_UNITS = {"time": "s", "water": "mL", "cup": "g"}
EXIT_WORDS = {
    "seconds": ("{}", "s"),
    "pressure_above": ("{}", "bar"),
    "pressure_below": ("pressure down to {}", "bar"),
    "flow_above": ("{}", "mL/s"),
    "flow_below": ("flow down to {}", "mL/s"),
    "water_ml": ("{} pumped", "mL"),
    "cup_g": ("{} in the cup", "g"),
    "first_drip": ("the first drip", ""),
    "hand": ("a hand signal", ""),
}


def exit_words(rule: Exit) -> str:
    """One exit in words: "4 bar", "the first drip"."""
    words, unit = EXIT_WORDS[rule.when]
    return words.format(amount(getattr(rule, "value", 0.0), unit))


def profile_differences(old: Profile, new: Profile) -> list[str]:
    """Each difference as one short phrase, in the order of the shot; empty where they run alike."""
    found: list[str] = []
    olds, news = list(old.phases), list(new.phases)
    names = SequenceMatcher(
        a=[_likeness(p) for p in olds], b=[_likeness(p) for p in news], autojunk=False
    )
    for tag, a0, a1, b0, b1 in names.get_opcodes():
        if tag in ("equal", "replace"):
            for before, after in zip_longest(olds[a0:a1], news[b0:b1]):
                found.extend(_pair(before, after))
        else:
            found.extend(f"{p.name.lower()} removed" for p in olds[a0:a1])
            found.extend(f"{p.name.lower()} added" for p in news[b0:b1])
    found.extend(_stop(old, new))
    found.extend(_water("meant", old.water_c, new.water_c))
    return found


def _likeness(phase: Phase) -> tuple[str, str]:
    return phase.name, phase.command.control


def _pair(before: Phase | None, after: Phase | None) -> Iterator[str]:
    if before is None:
        assert after is not None
        yield f"{after.name.lower()} added"
    elif after is None:
        yield f"{before.name.lower()} removed"
    else:
        yield from _phase(before, after)


def _phase(old: Phase, new: Phase) -> Iterator[str]:
    name = new.name.lower()
    if old.name != new.name:
        yield f"{old.name.lower()} is now {name}"
    if old.kind != new.kind:
        yield f"{name} is a {new.kind}, was a {old.kind}"
    yield from _command(name, old, new)
    if old.along != new.along or old.over != new.over:
        was, now = (
            amount(old.over, ALONG_UNITS[old.along]),
            amount(new.over, ALONG_UNITS[new.along]),
        )
        yield f"{name} moves over {now}, was {was}"
    if old.shape != new.shape and new.over > 0:
        yield f"{name} is {new.shape}, was {old.shape}"
    yield from _limit(name, "pressure limit", "bar", old.limit.pressure_bar, new.limit.pressure_bar)
    yield from _limit(name, "flow limit", "mL/s", old.limit.flow_ml_s, new.limit.flow_ml_s)
    yield from _water(name, old.water_c, new.water_c)
    yield from _exits(name, old, new)


def _water(name: str, was: float | None, now: float | None) -> Iterator[str]:
    if was == now:
        return
    if was is None and now is not None:
        yield f"{name} for water of {temperature(now)}"
    elif now is None and was is not None:
        yield f"{name} no longer for water of {temperature(was)}"
    elif was is not None and now is not None:
        yield f"{name} for water of {from_to(was, now, '°C')}"


def _command(name: str, old: Phase, new: Phase) -> Iterator[str]:
    was, now = old.command, new.command
    if was.control != now.control:
        yield f"{name} commands {now.control}, was {was.control}"
        return
    if isinstance(was, SpringCommand) and isinstance(now, SpringCommand):
        if was.springs != now.springs:
            yield f"{name} with {now.springs} of its springs, was {was.springs}"
        return
    if isinstance(was, OffCommand | SpringCommand) or isinstance(now, OffCommand | SpringCommand):
        return
    unit = UNITS[now.control]
    level = was.from_ == was.to and now.from_ == now.to
    if level and was.to != now.to:
        yield f"{name} {was.to:g} to {now.to:g} {unit}"
        return
    if was.from_ != now.from_:
        yield f"{name} starts at {now.from_:g} {unit}, was {was.from_:g}"
    if was.to != now.to:
        yield f"{name} ends at {now.to:g} {unit}, was {was.to:g}"


def _limit(name: str, what: str, unit: str, was: float | None, now: float | None) -> Iterator[str]:
    if was == now:
        return
    if now is None:
        yield f"{name} {what} removed"
    elif was is None:
        yield f"{name} {what} {amount(now, unit)} added"
    else:
        yield f"{name} {what} {from_to(was, now, unit)}"


def _exits(name: str, old: Phase, new: Phase) -> Iterator[str]:
    was = {rule.when: rule for rule in old.exits}
    now = {rule.when: rule for rule in new.exits}
    for when, rule in now.items():
        if when not in was:
            yield f"{name} may leave at {exit_words(rule)}"
        elif exit_words(rule) != exit_words(was[when]):
            yield f"{name} leaves at {exit_words(rule)}, was {exit_words(was[when])}"
    for when, rule in was.items():
        if when not in now:
            yield f"{name} no longer leaves at {exit_words(rule)}"


def _stop(old: Profile, new: Profile) -> Iterator[str]:
    was, now = old.stop, new.stop
    yield from _limit("stop", "weight", "g", was.cup_g, now.cup_g)
    yield from _limit("stop", "water", "mL", was.water_ml, now.water_ml)
    yield from _limit("stop", "time", "s", was.time_s, now.time_s)
