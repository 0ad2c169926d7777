"""The house's own start checks: lines of its own, and how often what is asked is asked."""

from __future__ import annotations

from typing import Annotated, Literal, NamedTuple, get_args

from pydantic import BaseModel, ConfigDict, Field

from vapocline.core.base.document import Name
from vapocline.core.base.problems import Problem, Refused
from vapocline.core.pull.readiness import Check, Checks, CheckState, Item, OwnCheck

CheckWhen = Literal["every time", "each morning", "after a change", "never"]
# What only the barista knows: all else is reported, or is weighed.
AskedCheck = Literal["portafilter", "flush", "basket", "bag", "grind", "tamp", "cup"]
ASKED_CHECKS: tuple[AskedCheck, ...] = get_args(AskedCheck)
MOST_OWN = 20


class OwnLine(BaseModel):
    """A check of the house: what is to be made sure of, after which of ours, and when."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    words: Name
    after: Check = "tamp"
    when: CheckWhen = "every time"


class KeptLine(OwnLine):
    """A check of the house with the key it is confirmed by."""

    check: OwnCheck


class HouseChecks(BaseModel):
    """What the house asks: when each of our lines, and its own lines in their order."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    when: dict[AskedCheck, CheckWhen] = Field(default_factory=dict)
    own: Annotated[tuple[OwnLine, ...], Field(max_length=MOST_OWN)] = ()


class PullMoment(NamedTuple):
    """Whether this is the day's first pull on the bench, and whether something there was changed
    since the last."""

    first_today: bool
    changed: bool


def check_house_checks(checks: HouseChecks) -> None:
    """Refuse lines that say the same. Raises Refused."""
    said = [one.words.casefold() for one in checks.own]
    for at, words in enumerate(said):
        if words in said[:at]:
            raise Refused([Problem(f"own.{at}.words", f"'{words}' twice", "each line once")])


def asked_now(when: CheckWhen, moment: PullMoment) -> bool:
    """Whether a line is asked before this pull."""
    match when:
        case "every time":
            return True
        case "each morning":
            return moment.first_today
        case "after a change":
            return moment.changed
        case "never":
            return False


def of_house(
    items: list[Item],
    when: dict[AskedCheck, CheckWhen],
    own: list[KeptLine],
    confirmed: Checks,
    moment: PullMoment,
) -> list[Item]:
    """The checks as the house goes through them. What is missing or reported is always told."""
    found: list[Item] = []
    for item in items:
        rule = when.get(item.check, "every time")  # type: ignore[call-overload]
        asked = item.state == "ask" or item.check in confirmed
        if item.state == "missing" or not asked or asked_now(rule, moment):
            found.append(item)
        added = [line for line in own if line.after == item.check and asked_now(line.when, moment)]
        found += [_own(line, confirmed) for line in added]
    return found


def _own(line: KeptLine, confirmed: Checks) -> Item:
    state: CheckState = "ready" if line.check in confirmed else "ask"
    return Item(check=line.check, state=state, words=line.words)
