"""Documents in files, or from standard input."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

from vapocline.core.base.problems import Problem, Refused, refused_by_pydantic

if TYPE_CHECKING:
    from vapocline.core.base.document import Document

DocumentT = TypeVar("DocumentT", bound="Document")


def read_json(file: str) -> object:
    """The document's content. Raises Refused when it cannot be read or is no JSON."""
    text = read_text(file)
    try:
        return json.loads(text)
    except json.JSONDecodeError as error:
        got = f"JSON that breaks off at line {error.lineno}, column {error.colno}"
        raise Refused([Problem("document", got, "valid JSON")]) from error


def read_text(file: str) -> str:
    """What is in a file or comes in. Raises Refused."""
    try:
        return sys.stdin.read() if file == "-" else Path(file).read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError) as error:
        raise Refused([Problem("FILE", file, f"a readable text file ({error})")]) from error


def valid(model: type[DocumentT], value: object, *, under: str) -> DocumentT:
    """A document of a kind. Raises Refused, every field under a name."""
    from pydantic import ValidationError

    try:
        return model.model_validate(value)
    except ValidationError as error:
        raise refused_by_pydantic(error, under=under) from error


def write_text(file: Path, text: str) -> None:
    """Write a file. Raises Refused where that cannot be."""
    try:
        file.write_text(text, encoding="utf-8")
    except OSError as error:
        raise Refused([Problem("FILE", str(file), f"a file to write ({error})")]) from error
