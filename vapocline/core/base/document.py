"""What every stored or exchanged document shares: frozen, by its written names, nothing dropped."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, model_validator
from pydantic_core import PydanticCustomError

Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]
Note = Annotated[str, StringConstraints(max_length=4000)]


class Document(BaseModel):
    """A part of a document. Fields it does not know are kept under `extra` on a round trip."""

    model_config = ConfigDict(frozen=True, populate_by_name=True, allow_inf_nan=False)

    extra: dict[str, Any] = Field(default_factory=dict)

    @model_validator(mode="before")
    @classmethod
    def _keep_unknown_fields(cls, value: Any) -> Any:
        if not isinstance(value, dict):
            return value
        known = set(cls.model_fields)
        known |= {field.alias for field in cls.model_fields.values() if field.alias}
        unknown = {key: part for key, part in value.items() if key not in known}
        if not unknown:
            return value
        kept = {key: part for key, part in value.items() if key in known}
        return kept | {"extra": {**kept.get("extra", {}), **unknown}}

    def written(self) -> dict[str, Any]:
        """The document as JSON values under its written names; empty `extra` left out."""
        plain: dict[str, Any] = _without_empty_extra(self.model_dump(mode="json", by_alias=True))
        return plain


def _without_empty_extra(value: Any) -> Any:
    if isinstance(value, dict):
        return {
            key: _without_empty_extra(part)
            for key, part in value.items()
            if not (key == "extra" and part == {})
        }
    if isinstance(value, list):
        return [_without_empty_extra(part) for part in value]
    return value


def supported_version(version: int) -> int:
    """Refuse a document of a later version, which this program cannot know.

    Raises PydanticCustomError, which becomes a named problem.
    """
    if version != 1:
        raise PydanticCustomError(
            "version", "newer", {"accepted": "version 1; a newer Vapocline may read this"}
        )
    return version


class Answer(BaseModel):
    """A part of the answer: frozen, by its written names."""

    model_config = ConfigDict(frozen=True, populate_by_name=True)
