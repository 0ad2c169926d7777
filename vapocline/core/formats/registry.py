"""Every kind of document that is stored or exchanged: its format, its version, its upgrades.

A document is written in the newest version and read in whatever version wrote it. To change the
shape of one: write the step from the version before it into its upgrades, raise its version, and
freeze an example of the old version in tests/core/formats/fixtures.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Generic, TypeVar, cast

from pydantic import TypeAdapter, ValidationError
from pydantic_core import PydanticCustomError

from vapocline.core.advise.guided import GuidedAim
from vapocline.core.base.document import (
    STORED,
    Document,
    Plain,
    Upgrade,
    Versioned,
    nested_parts_changed,
    upgraded,
)
from vapocline.core.base.problems import Problem, Refused, refused_by_pydantic
from vapocline.core.formats.shot import ShotDocument
from vapocline.core.learn.learning import Learning
from vapocline.core.machine.calibration.measured import Calibration
from vapocline.core.machine.machine import Machine
from vapocline.core.plan.goal import Goal, Want, want_renamed
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.knowledge import Knowledge
from vapocline.core.puck.plan import Plan
from vapocline.core.pull.conditions import Conditions
from vapocline.core.read.spread import Tolerance
from vapocline.core.shot.events import Event
from vapocline.core.taste.target import Target

Value = TypeVar("Value")


@dataclass(frozen=True)
class Codec(Generic[Value]):
    """How one kind of document is written, and read again whatever version wrote it."""

    format: str
    adapter: TypeAdapter[Value]
    upgrades: tuple[Upgrade, ...] = ()
    says_itself: bool = field(default=False)  # its own type carries format and version

    @property
    def version(self) -> int:
        """The version that is written now."""
        return len(self.upgrades) + 1

    def read(self, stored: Any) -> Value:
        """A stored document as its type. Raises Refused where it is none, or of a later version."""
        try:
            return self.adapter.validate_python(self._upgraded(stored), context=STORED)
        except ValidationError as error:
            raise refused_by_pydantic(error, under=self.format) from error
        except PydanticCustomError as error:
            got = error.context or {}
            problem = Problem(f"{self.format}.version", str(got["got"]), str(got["accepted"]))
            raise Refused([problem]) from error

    def write(self, value: Value) -> Plain:
        """A value as the document that is stored."""
        document: Plain = self.adapter.dump_python(value, mode="json", by_alias=True)
        return document | {"format": self.format, "version": self.version}

    def _upgraded(self, stored: Any) -> Any:
        """The document as the newest version writes it, without what its type does not carry."""
        if isinstance(stored, list):  # before version 2 some kinds were bare lists
            stored = {"listed": stored}
        if not isinstance(stored, dict):
            return stored
        said = stored.get("format", self.format)
        if said != self.format:
            raise Refused([Problem("format", f"'{said}'", f"'{self.format}'")])
        if self.says_itself:  # an unversioned one is as old as can be
            return stored if "version" in stored else stored | {"version": 1}
        document = upgraded(stored, self.upgrades, stored.get("version", 1))
        return {key: part for key, part in document.items() if key not in ("format", "version")}


def _whole(model: type[Versioned]) -> Codec[Any]:
    said = model.model_fields["format"].default
    return Codec(said, TypeAdapter(model), model.UPGRADES, says_itself=True)


class Goals(Document):
    """What is wanted of a shot on a bench."""

    wants: tuple[Want, ...] = ()


def _goals_in_an_object(document: Plain) -> Plain:
    return {"wants": [want_renamed(want) for want in document.get("listed", [])]}


def _drink_is_yield(document: Plain) -> Plain:
    return {("yield_g" if name == "drink_g" else name): part for name, part in document.items()}


def _rows_drink_is_yield(document: Plain) -> Plain:
    rows = [_drink_is_yield(r) if isinstance(r, dict) else r for r in document.get("rows", [])]
    return document | {"rows": rows}


PROFILE = cast("Codec[Profile]", _whole(Profile))
PLAN = cast("Codec[Plan]", _whole(Plan))
MACHINE = cast("Codec[Machine]", _whole(Machine))
PREDICTION = cast("Codec[Prediction]", _whole(Prediction))
LEARNT = cast("Codec[Learning]", _whole(Learning))
KNOWLEDGE = cast("Codec[Knowledge]", _whole(Knowledge))
SHOT = cast("Codec[ShotDocument]", _whole(ShotDocument))
GOAL = cast("Codec[Goal]", _whole(Goal))
CALIBRATION: Codec[Calibration] = Codec(
    "vapocline/calibration",
    TypeAdapter(Calibration),
    (_rows_drink_is_yield, nested_parts_changed),
)
GOALS = Codec("vapocline/goals", TypeAdapter(Goals), (_goals_in_an_object,))
TOLERANCE = Codec("vapocline/tolerance", TypeAdapter(Tolerance), (_drink_is_yield,))
CONDITIONS = Codec("vapocline/conditions", TypeAdapter(Conditions), (nested_parts_changed,) * 6)
EVENT: Codec[Event] = Codec("vapocline/event", TypeAdapter(Event))
TARGET = Codec("vapocline/taste-target", TypeAdapter(Target))
GUIDED_RUN = Codec("vapocline/guided-run", TypeAdapter(GuidedAim))

CODECS: dict[str, Codec[Any]] = {
    codec.format: codec
    for codec in (
        PROFILE, PLAN, MACHINE, PREDICTION, GOAL, CALIBRATION, GOALS, TOLERANCE, CONDITIONS, EVENT,
        TARGET, KNOWLEDGE, LEARNT, SHOT, GUIDED_RUN,
    )
}  # fmt: skip
