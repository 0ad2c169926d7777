"""ETags of what is on the shelf, and the refusal of changes based on an outdated one."""

from __future__ import annotations

import hashlib

from vapocline.core.base.document import Document
from vapocline.core.base.problems import ConflictError, shown


def etag_of(document: Document) -> str:
    """A short hash of what is stored."""
    written = document.model_dump_json(by_alias=True, exclude={"etag"}).encode()
    return hashlib.blake2b(written, digest_size=8).hexdigest()


def refuse_stale(stored: Document, sent: Document, seen: str | None) -> None:
    """Raise ConflictError, with both sides of what differs, where `seen` is not what is stored.

    `seen` None asks for no such care.
    """
    if seen is None or seen == etag_of(stored):
        return
    there, here = stored.model_dump(mode="json"), sent.model_dump(mode="json")
    names = [name for name in there.keys() | here.keys() if there.get(name) != here.get(name)]
    both = [
        f"{name.replace('_', ' ')} is {shown(there.get(name))} there"
        f" and {shown(here.get(name))} here"
        for name in sorted(names)
    ]
    if both:  # else someone saved just the same
        raise ConflictError(f"It was changed elsewhere meanwhile: {'; '.join(both)}.")
