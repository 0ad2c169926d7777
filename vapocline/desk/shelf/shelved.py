"""Things on the shelf as the documents they are."""

from __future__ import annotations

from typing import TypeVar

from vapocline.core.base.document import Document

DocumentT = TypeVar("DocumentT", bound=Document)


def as_document(model: type[DocumentT], shelved: DocumentT) -> DocumentT:
    """Something shelved without its number, its ETag and what was worked out of it."""
    return model.model_validate(shelved.model_dump(include=set(model.model_fields)))
