"""What every stored or exchanged document shares: frozen, by its written names, nothing dropped."""

from __future__ import annotations

import math
import unicodedata
from collections.abc import Callable
from typing import Annotated, Any, ClassVar, Self

from pydantic import (
    AfterValidator,
    BaseModel,
    BeforeValidator,
    ConfigDict,
    GetJsonSchemaHandler,
    StringConstraints,
    ValidationInfo,
    model_validator,
)
from pydantic_core import CoreSchema, PydanticCustomError

MOST_UNKNOWN = 40  # fields of a part that this version does not know
MOST_LEVELS = 40  # of a document, its unknown fields among them
UNKNOWN_DEPTH = 8  # levels of objects and lists in one of them
UNKNOWN_PIECES = 2000  # values in one of them
UNKNOWN_CHARACTERS = 20_000  # in all its texts together

Plain = dict[str, Any]
Upgrade = Callable[[Plain], Plain]


STORED = {"stored": True}  # validation context of what was taken in before a rule was made
NOT_IN_NAMES = ("Cc", "Cf", "Cs")  # Unicode: controls, invisible format (bidi too), surrogates
# Letters, marks and symbols that show nothing: fillers, joiners and blanks.
BLANK = frozenset(
    "\u034f\u115f\u1160\u17b4\u17b5\u180b\u180c\u180d\u180f\u2800\u3164\uffa0\U0001d159"
)
SEEN = ("L", "N", "P", "S")  # Unicode: a name has a letter, number, punctuation mark or symbol


def _storable(text: str) -> str:
    """Refuse the characters that PostgreSQL's text, or UTF-8, cannot hold."""
    if "\x00" in text:
        raise PydanticCustomError("text", "text", {"accepted": "text without the NUL character"})
    if any("\ud800" <= letter <= "\udfff" for letter in text):
        raise PydanticCustomError("text", "text", {"accepted": "text without lone surrogates"})
    return text


def _one_spelling(name: Any, info: ValidationInfo) -> Any:
    """A name in one spelling for one look: Unicode's NFC, single spaces."""
    if not isinstance(name, str):
        return name
    if info.context == STORED:
        return clean_name(name)
    return " ".join(unicodedata.normalize("NFC", name).split())


def _visible(name: str) -> str:
    """Refuse what nobody sees in a name, or what turns the text around it."""
    hidden = next((one for one in name if _is_hidden(one)), None)
    if hidden is not None:
        accepted = f"a name without invisible characters (it has U+{ord(hidden):04X})"
        raise PydanticCustomError("text", "text", {"accepted": accepted})
    if not any(unicodedata.category(one).startswith(SEEN) for one in name):
        raise PydanticCustomError("text", "text", {"accepted": "a name that can be seen"})
    return name


def _is_hidden(letter: str) -> bool:
    return unicodedata.category(letter) in NOT_IN_NAMES or letter in BLANK


def clean_name(name: str) -> str:
    """A name without what no name may hold now."""
    kept = "".join(one for one in name if not _is_hidden(one))
    seen = any(unicodedata.category(one).startswith(SEEN) for one in kept)
    return " ".join(unicodedata.normalize("NFC", kept).split()) if seen else "Unnamed"


Name = Annotated[
    str,
    StringConstraints(min_length=1, max_length=60),
    BeforeValidator(_one_spelling),  # listed after them, it comes before them
    AfterValidator(_visible),
]
Note = Annotated[str, StringConstraints(max_length=4000), AfterValidator(_storable)]


class Document(BaseModel):
    """A part of a document. Fields it does not know stay where they are on a round trip."""

    model_config = ConfigDict(
        frozen=True, populate_by_name=True, allow_inf_nan=False, extra="allow"
    )

    @model_validator(mode="after")
    def _bounded(self) -> Self:
        unknown = self.model_extra or {}
        if len(unknown) > MOST_UNKNOWN:
            raise _too_much("document", f"{len(unknown)} unknown fields", f"at most {MOST_UNKNOWN}")
        for name, value in unknown.items():
            _bound(name, value)
        return self

    @classmethod
    def __get_pydantic_json_schema__(
        cls, schema: CoreSchema, handler: GetJsonSchemaHandler
    ) -> dict[str, Any]:
        """Open to unknown fields by default, as JSON Schema is: it need not be said."""
        made = handler(schema)
        handler.resolve_ref_schema(made).pop("additionalProperties", None)
        return made

    def known(self) -> dict[str, Any]:
        """The fields this version knows, by their names."""
        return {name: getattr(self, name) for name in type(self).model_fields}

    def written(self) -> dict[str, Any]:
        """The document as JSON values under its written names."""
        return self.model_dump(mode="json", by_alias=True)


def _bound(name: str, value: Any) -> None:
    """Refuse an unknown field that is too deep, too large, or that no database can hold."""
    left, pieces, characters = [(value, 1)], 0, len(_storable(name))
    while left:
        one, depth = left.pop()
        pieces += 1
        if isinstance(one, dict | list | tuple):
            inner = [*one.keys(), *one.values()] if isinstance(one, dict) else list(one)
            if depth >= UNKNOWN_DEPTH and inner:
                raise _too_much(name, f"more than {UNKNOWN_DEPTH} levels", "fewer levels")
            left += [(part, depth + 1) for part in inner]
        elif isinstance(one, str):
            characters += len(_storable(one))
        elif isinstance(one, float) and not math.isfinite(one):
            raise _too_much(name, str(one), "finite numbers")
        if pieces > UNKNOWN_PIECES or characters > UNKNOWN_CHARACTERS:
            most = f"at most {UNKNOWN_PIECES} values and {UNKNOWN_CHARACTERS} characters"
            raise _too_much(name, "too large a field", most)


def _too_much(field: str, got: str, accepted: str) -> PydanticCustomError:
    return PydanticCustomError(
        "unknown", "unknown", {"field": field, "got": got, "accepted": accepted}
    )


class Versioned(Document):
    """A whole document, which says its format and version.

    `UPGRADES` lead from each version to the next, the first from version 1; an older document is
    brought up to date when it is read, a newer one refused by name. A subclass declares `format`
    and `version`; the version is one more than it has upgrades.
    """

    UPGRADES: ClassVar[tuple[Upgrade, ...]] = ()

    @model_validator(mode="before")
    @classmethod
    def _upgraded(cls, value: Any) -> Any:
        if not isinstance(value, dict):
            return value
        newest = len(cls.UPGRADES) + 1
        return upgraded(value, cls.UPGRADES, value.get("version", newest))


def upgraded(document: Plain, upgrades: tuple[Upgrade, ...], version: Any) -> Plain:
    """A document of a version, as the newest one is written. Raises PydanticCustomError."""
    newest = len(upgrades) + 1
    if isinstance(version, bool) or not isinstance(version, int) or not 1 <= version <= newest:
        known = "version 1" if newest == 1 else f"versions 1 to {newest}"
        ctx = {
            "field": "version",
            "got": repr(version) if isinstance(version, str) else str(version),
            "accepted": f"{known}; a newer Vapocline may read this",
        }
        raise PydanticCustomError("version", "newer", ctx)
    for step in upgrades[version - 1 :]:
        document = step(document)
    return document | {"version": newest} if version < newest else document


def unknown_fields_in_place(document: Plain) -> Plain:
    """Version 1 kept what it did not know under `extra`, part by part: put it back where it was."""
    placed: Plain = _placed(document, MOST_LEVELS)
    return placed


def nested_parts_changed(document: Plain) -> Plain:
    """A step that changes only nested parts, which carry their own defaults and upgrades."""
    return document


def _placed(value: Any, levels: int) -> Any:
    if not levels:
        raise _too_much("document", f"more than {MOST_LEVELS} levels", "fewer levels")
    if isinstance(value, dict):
        own = {key: _placed(part, levels - 1) for key, part in value.items() if key != "extra"}
        kept = value.get("extra", {})
        return {**kept, **own} if isinstance(kept, dict) else {**own, "extra": kept}
    if isinstance(value, list):
        return [_placed(part, levels - 1) for part in value]
    return value


class Answer(BaseModel):
    """A part of an answer: frozen, by its written names."""

    model_config = ConfigDict(frozen=True, populate_by_name=True)
