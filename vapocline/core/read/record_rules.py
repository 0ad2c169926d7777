"""What the record itself says of itself: where it is broken."""

from __future__ import annotations

from vapocline.core.base.amounts import change, grams
from vapocline.core.read.findings import Evidence, RecordBroken
from vapocline.core.read.record import Gap, Record

LONG_GAP_S = 2.0


def broken(record: Record) -> list[RecordBroken]:
    """Gaps, knocks of the cup, a tare, a scale that stood still or drifts, each at its place."""
    said = [_drifting(record)] if record.drift_g_s else []
    for gap in record.gaps:
        if gap.from_s > record.stop_s:
            continue
        jumped = gap.kind in ("knock", "tare")
        title, words = _in_words(gap)
        said.append(
            RecordBroken(
                from_s=round(gap.from_s, 1), to_s=round(gap.to_s, 1), sure="sure",
                weight="finding" if gap.size > LONG_GAP_S or jumped else "note",
                size_s=round(gap.to_s - gap.from_s, 1),
                missing_s=0.0 if jumped else round(gap.size, 1),
                knocked_g=round(gap.size, 1) if jumped else None,
                title=title,
                words=words,
                evidence=[
                    Evidence(what="weight jumped" if jumped else "nothing new for",
                             was=change(gap.size, "g", 1) if jumped else f"{gap.size:.1f} s")
                ],
            )
        )  # fmt: skip
    return said


def _in_words(gap: Gap) -> tuple[str, str]:
    """A gap's title and sentence."""
    match gap.kind:
        case "knock":
            return "The cup was knocked", (
                f"The cup was knocked at {gap.from_s:.0f} s: its weight jumped by "
                f"{change(gap.size, 'g', 1)}. The jump is left out."
            )
        case "tare":
            return "The scale was tared", (
                f"The scale was tared at {gap.from_s:.0f} s, with {grams(-gap.size, 1)} in "
                "the cup. They are added again."
            )
        case "still":
            return "The scale stood still", (
                f"For {gap.size:.0f} s from {gap.from_s:.0f} s on the scale stood still while "
                "water flowed."
            )
        case "gap":
            return (
                "The record has a gap",
                f"No readings for {gap.size:.1f} s from {gap.from_s:.1f} s on.",
            )


def _drifting(record: Record) -> RecordBroken:
    return RecordBroken(
        from_s=0.0, to_s=round(record.stop_s, 1), sure="likely", title="The scale drifts",
        words=f"The weight changes by {change(record.drift_g_s, 'g', 2)} a second before a drop "
        "can fall. The drift is taken out, as if it went on alike.",
        evidence=[Evidence(what="drift", was=f"{record.drift_g_s:+.2f} g/s")],
    )  # fmt: skip
