"""What is wrong with an input, in words that say the field, what it got and what it takes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

GOT_LENGTH = 60  # characters of a bad value that an error repeats


@dataclass(frozen=True)
class Problem:
    """One refused field: its dotted path, the value it got, and what it accepts."""

    field: str
    got: str
    accepted: str

    def __str__(self) -> str:
        return f"{self.field}: got {self.got}; takes {self.accepted}"


class VapoclineError(Exception):
    """Anything the application refuses or cannot do, with a text fit for its user."""


class Refused(VapoclineError):
    """Input that cannot be used; `problems` says why, field by field."""

    def __init__(self, problems: Sequence[Problem]) -> None:
        self.problems = tuple(problems)
        super().__init__("\n".join(str(problem) for problem in self.problems))


class NotFoundError(VapoclineError):
    """Something asked for by name or number that is not there."""


class NotAllowedError(VapoclineError):
    """Something that whoever asks may not see or do."""


class ConflictError(VapoclineError):
    """A change that rests on a state which has moved on meanwhile."""


class UnavailableError(VapoclineError):
    """A part the application needs that does not answer now; trying again later may help."""


class DeviceError(VapoclineError):
    """A machine, scale or refractometer that does not answer or answers out of turn."""


class OrderError(DeviceError):
    """An order that a device cannot follow at this moment, with the reason."""


def shown(value: object) -> str:
    """A refused value as an error repeats it, shortened."""
    if value is None:
        return "nothing"
    if isinstance(value, (list, tuple, dict)) and not value:
        return "none"
    text = f"'{value}'" if isinstance(value, str) else str(value)
    return text if len(text) <= GOT_LENGTH else text[: GOT_LENGTH - 1] + "…"


def refused_by_pydantic(error: ValidationError, *, under: str = "") -> Refused:
    """The same refusal in our words; `under` prefixes every field path."""
    return Refused(problems_in(error.errors(include_url=False), under=under))


def problems_in(errors: Sequence[Any], *, under: str = "") -> list[Problem]:
    """Pydantic's error list as problems."""
    return [Problem(_where(error, under), _got(error), _accepted(error)) for error in errors]


def _where(error: Any, under: str) -> str:
    """The field's path; a rule over a whole document names the field it is about."""
    path, field = _path(error["loc"], under), error.get("ctx", {}).get("field")
    if field is None:
        return path
    return str(field) if path == "document" else f"{path}.{field}"


TAGGED = ("command", "control", "measured")  # after these comes a union's tag


def _path(loc: Sequence[int | str], under: str) -> str:
    """The field's path as written in the document: union tags, which it does not hold, left out."""
    parts: list[str] = [under] if under else []
    for index, part in enumerate(loc):
        before = loc[index - 1] if index else None
        listed = index > 1 and isinstance(before, int) and loc[index - 2] == "exits"
        if isinstance(part, str) and (before in TAGGED or listed):
            continue
        parts.append(str(part))
    return ".".join(parts) or "document"


def _got(error: Any) -> str:
    if "got" in error.get("ctx", {}):
        return str(error["ctx"]["got"])
    if error["type"] == "missing":
        return "nothing"
    if error["type"] == "union_tag_not_found":
        return "nothing"
    if error["type"] == "union_tag_invalid":
        return shown(error["ctx"]["tag"])
    return shown(error["input"])


PLAINLY = {
    "missing": "a value",
    "union_tag_not_found": "a value",
    "union_tag_invalid": "one of {expected_tags}",
    "string_type": "text",
    "string_unicode": "text without lone surrogates",
    "string_too_short": "text of at least {min_length} character",
    "string_too_long": "text of at most {max_length} characters",
    "greater_than_equal": "a number of at least {ge}",
    "less_than_equal": "a number of at most {le}",
    "too_long": "at most {max_length} of them",
    "int_parsing": "a whole number",
    "int_type": "a whole number",
    "int_from_float": "a whole number",
    "float_parsing": "a number",
    "float_type": "a number",
    "bool_parsing": "true or false",
    "bool_type": "true or false",
    "tuple_type": "a list",
    "list_type": "a list",
    "dict_type": "an object",
    "model_type": "an object",
    "model_attributes_type": "an object",
    "json_invalid": "valid JSON",
    "date_from_datetime_parsing": "a date, as 2026-11-24",
    "date_parsing": "a date, as 2026-11-24",
    "time_parsing": "a time of day here, as 07:00",
    "time_type": "a time of day here, as 07:00",
    "extra_forbidden": "no such field",
}


def _accepted(error: Any) -> str:
    """What would have been taken, in our words where there are some."""
    context = error.get("ctx", {})
    if "accepted" in context:
        return str(context["accepted"])
    if error["type"] in PLAINLY:
        return PLAINLY[error["type"]].format(**context)
    return str(context.get("expected", error["msg"]))
