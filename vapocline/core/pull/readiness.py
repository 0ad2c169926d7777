"""What must be so before the pump starts: what devices tell, and what only the barista knows."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Annotated, Literal

from pydantic import StringConstraints

from vapocline.core.base.amounts import change, grams, millilitres, temperature, temperature_apart
from vapocline.core.base.document import Answer
from vapocline.core.pull.portafilter import warmth_of

Check = Literal[
    "armed",
    "warm",
    "water",
    "portafilter",
    "cup",
    "tare",
    "dose",
    "basket",
    "flush",
    "bag",
    "purge",
    "grind",
    "tamp",
    "disc",
]
# A line of the house's own, by its number.
OwnCheck = Annotated[str, StringConstraints(pattern=r"^own-[1-9]\d{0,8}$")]
Checks = frozenset[Check | OwnCheck]
CheckState = Literal["ready", "missing", "ask"]
WARM_WITHIN_C = 1.5
SPARE_ML = 30.0  # the pump should never draw air


class Item(Answer):
    """One line of the checklist. `ask` waits for the barista's word; `missing` says what lacks."""

    check: Check | OwnCheck
    state: CheckState
    words: str


class Standing(Answer):
    """What devices tell of themselves before a shot; None for what none of them can."""

    machine_answers: bool
    machine_says: str | None = None  # why it does not answer, or will not take the profile
    wired: bool = True  # of a machine not connected only the barista knows
    group_c: float | None = None
    water_left_ml: float | None = None
    scale: bool = False  # one is there and answers
    weight_g: float | None = None
    cup: bool | None = None


class Intended(Answer):
    """What is about to be pulled, with what was weighed and set where that is known."""

    machine: str
    mode: str | None  # which of the machine's, where it has several
    water_c: float
    puck_start_c: float
    water_ml: float | None  # what the shot should use
    water: str | None  # which one
    portafilter: str  # what another warmth would do
    dose_g: float
    levelled: bool
    dose_tolerance_g: float
    weighed_g: float | None
    doses_within_g: float | None  # how far off this grinder's doses are, where this one is further
    coffee: str | None
    bag: str | None  # which one and what is left of it
    bag_short_g: float | None  # how much the bag lacks for this dose
    stale: str | None  # how far the coffee is from its best, where it is
    grind: str | None
    retained: str | None  # what of another setting or coffee is still in the grinder
    preparation: str | None  # which one, and its steps
    ready_at: datetime | None  # by the countdown, where one runs


def checklist(
    standing: Standing,
    intended: Intended,
    confirmed: Checks,
    now: datetime,
    *,
    dry: bool = False,
) -> list[Item]:
    """Every check, in the order one goes through them at the machine; of a dry run those that need
    no coffee."""
    machine = [_warm(standing, intended, confirmed, now), _water(standing, intended, confirmed)]
    armed = _armed(standing, intended, confirmed)
    if dry:
        disc = _asked("disc", "The drilled disc is in the basket, no coffee", confirmed)
        return [*machine, disc, _cup(standing, confirmed), armed]
    return [
        *machine,
        _portafilter(intended, confirmed),
        _asked("flush", "The group is flushed", confirmed),
        _asked("basket", "The basket is wiped dry", confirmed),
        _bag(intended, confirmed),
        *_purge(intended, confirmed),
        _grind(intended, confirmed),
        _dose(intended, confirmed),
        _asked("tamp", _tamped(intended), confirmed),
        _cup(standing, confirmed),
        _tare(standing, confirmed),
        armed,
    ]


def missing(items: list[Item]) -> list[Item]:
    """What still keeps the pump from starting."""
    return [item for item in items if item.state != "ready"]


def _item(check: Check, state: CheckState, words: str) -> Item:
    return Item(check=check, state=state, words=words)


def _asked(check: Check, words: str, confirmed: Checks) -> Item:
    return _item(check, "ready" if check in confirmed else "ask", words)


def _armed(standing: Standing, intended: Intended, confirmed: Checks) -> Item:
    if not standing.machine_answers:
        return _item("armed", "missing", standing.machine_says or "The machine does not respond")
    if standing.machine_says:
        return _item("armed", "missing", standing.machine_says)
    if intended.mode is not None:  # no machine says how it is set
        return _asked("armed", f"{intended.machine} is set to {intended.mode}", confirmed)
    if not standing.wired:
        return _asked("armed", f"{intended.machine} is set up for this shot", confirmed)
    return _item("armed", "ready", f"{intended.machine} is ready and accepts the profile")


def _warm(standing: Standing, intended: Intended, confirmed: Checks, now: datetime) -> Item:
    wanted = temperature(intended.water_c)
    if intended.ready_at is not None and now < intended.ready_at:
        left = (intended.ready_at - now) / timedelta(minutes=1)
        return _item("warm", "missing", f"Warming up: {left:.0f} min to go, as timed")
    if standing.group_c is None:
        if intended.ready_at is not None:
            return _item("warm", "ready", f"Warmed up by the clock, for {wanted}")
        return _asked("warm", f"Warmed up through, for {wanted}", confirmed)
    off, group = standing.group_c - intended.water_c, temperature(standing.group_c, 1)
    if abs(off) > WARM_WITHIN_C:
        way = "below" if off < 0 else "above"
        by = temperature_apart(abs(off), 1)
        words = f"The group is at {group}, {by} {way} {wanted}"
        return _item("warm", "missing", words)
    return _item("warm", "ready", f"The group is at {group}, for {wanted}")


def _water(standing: Standing, intended: Intended, confirmed: Checks) -> Item:
    needs = (intended.water_ml or 0.0) + SPARE_ML
    of = f" of {intended.water}" if intended.water else ""
    if not standing.wired:
        return _asked("water", f"The tank holds {millilitres(needs, 0)} or more{of}", confirmed)
    if standing.water_left_ml is None:
        return _item("water", "ready", "The machine does not report its tank level")
    left = millilitres(standing.water_left_ml, 0)
    if standing.water_left_ml < needs:
        words = f"The tank holds {left}; this takes {millilitres(needs, 0)}"
        return _item("water", "missing", words)
    return _item("water", "ready", f"The tank holds {left}{of}")


def _portafilter(intended: Intended, confirmed: Checks) -> Item:
    """As warm as the forecast takes it."""
    words = f"The portafilter is {warmth_of(intended.puck_start_c)}"
    cost = f"; {intended.portafilter}" if intended.portafilter else ""
    return _asked("portafilter", f"{words}{cost}", confirmed)


def _dose(intended: Intended, confirmed: Checks) -> Item:
    """As weighed. One that is only confirmed was not weighed, and is never taken for it."""
    wanted, tolerance = intended.dose_g, intended.dose_tolerance_g
    if intended.weighed_g is None and intended.levelled:
        words = f"The basket full and levelled, taken for {grams(wanted, 1)}"
        return _asked("dose", words, confirmed)
    if intended.weighed_g is None and "dose" in confirmed:
        return _item("dose", "ready", f"Not weighed: taken for {grams(wanted, 1)}")
    if intended.weighed_g is None:
        return _item("dose", "ask", f"Weigh {grams(wanted, 1)}, within {grams(tolerance)}")
    off, weighed = intended.weighed_g - wanted, grams(intended.weighed_g, 1)
    if abs(off) > tolerance + 1e-9:
        words = f"{weighed} is {change(off, 'g', 1)} off; {grams(tolerance)} is the tolerance"
        if intended.doses_within_g is not None:
            within = grams(intended.doses_within_g, 1)
            words += f". Doses from this grinder are within {within}: grind again"
        return _item("dose", "missing", words)
    return _item("dose", "ready", f"{weighed}, within {grams(tolerance)}")


def _purge(intended: Intended, confirmed: Checks) -> list[Item]:
    """What stayed in the grinder, where it is not the same. Nobody's word that it was ground out is
    taken for granted: it is missing until it is said, and a pull despite that is of a mix."""
    if intended.retained is None:
        return []
    if "purge" in confirmed:
        return [_item("purge", "ready", f"Ground out: {intended.retained}")]
    words = f"{intended.retained} is still in the grinder: grind it out, or this dose is a mix"
    return [_item("purge", "missing", words)]


def _tamped(intended: Intended) -> str:
    if intended.preparation is None:
        return "Tamped level, the rim clean"
    return f"{intended.preparation}; the rim clean"


def _grind(intended: Intended, confirmed: Checks) -> Item:
    if intended.grind is None:
        return _asked("grind", "Grind unchanged: no grinder is chosen", confirmed)
    return _asked("grind", f"Ground at {intended.grind}", confirmed)


def _bag(intended: Intended, confirmed: Checks) -> Item:
    if intended.coffee is None:
        return _asked("bag", "The right coffee: none is chosen", confirmed)
    if intended.bag_short_g is not None:
        words = f"{intended.coffee}: the bag lacks {grams(intended.bag_short_g, 0)} for this dose"
        return _item("bag", "ready" if "bag" in confirmed else "missing", words)
    bag = f", {intended.bag}" if intended.bag else ""
    stale = f"; {intended.stale}" if intended.stale else ""
    return _asked("bag", f"{intended.coffee}{bag}{stale}", confirmed)


def _cup(standing: Standing, confirmed: Checks) -> Item:
    if standing.cup is None:
        return _asked("cup", "A warm cup stands under the spout", confirmed)
    if not standing.cup:
        return _item("cup", "missing", "No cup on the scale")
    return _item("cup", "ready", "A cup is on the scale")


def _tare(standing: Standing, confirmed: Checks) -> Item:
    if not standing.scale:
        return _asked("tare", "The scale shows zero with the cup on it", confirmed)
    if standing.weight_g is None:
        return _item("tare", "missing", "The scale does not weigh: switch it on")
    return _item("tare", "ready", "The scale is set to zero as the pump starts")
