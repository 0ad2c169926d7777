"""What the record itself says of itself: where it is broken."""

from __future__ import annotations

from vapocline.core.read.findings import Evidence, RecordBroken
from vapocline.core.read.record import Record

LONG_GAP_S = 2.0


def broken(record: Record) -> list[RecordBroken]:
    """Gaps, and knocks of the cup, each at its place."""
    said = []
    for gap in record.gaps:
        if gap.from_s > record.stop_s:
            continue
        knocked = gap.kind == "knock"
        words = (
            f"The cup was knocked at {gap.from_s:.0f} s: its weight jumped by {gap.size:+.1f} g. "
            "The jump is left out."
            if knocked
            else f"No readings for {gap.size:.1f} s from {gap.from_s:.1f} s on."
        )
        said.append(
            RecordBroken(
                from_s=round(gap.from_s, 1), to_s=round(gap.to_s, 1), sure="sure",
                weight="finding" if gap.size > LONG_GAP_S or knocked else "note",
                size_s=round(gap.to_s - gap.from_s, 1),
                missing_s=0.0 if knocked else round(gap.size, 1),
                knocked_g=round(gap.size, 1) if knocked else None,
                title="The cup was knocked" if knocked else "The record has a gap",
                words=words,
                evidence=[
                    Evidence(what="weight jumped" if knocked else "without a sample",
                             was=f"{gap.size:+.1f} g" if knocked else f"{gap.size:.1f} s")
                ],
            )
        )  # fmt: skip
    return said
