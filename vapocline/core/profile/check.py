"""What keeps a profile from running on any machine."""

from __future__ import annotations

from collections.abc import Iterator

from vapocline.core.base.problems import Problem, shown
from vapocline.core.profile.profile import ForceCommand, OffCommand, Phase, Profile, SpringCommand


def profile_problems(profile: Profile, *, under: str = "") -> list[Problem]:
    """What keeps this profile from running on any machine."""
    lead = f"{under}." if under else ""
    if not profile.phases:
        return [Problem(f"{lead}phases", "none", "at least one phase")]
    return [
        problem
        for index, phase in enumerate(profile.phases)
        for problem in _phase_problems(phase, f"{lead}phases.{index}")
    ]


def _phase_problems(phase: Phase, path: str) -> Iterator[Problem]:
    given = [rule.when for rule in phase.exits]
    for index, when in enumerate(given):
        if when in given[:index]:
            yield Problem(f"{path}.exits.{index}.when", shown(when), "each kind of exit once")
    if "seconds" not in given and ("water_ml" not in given or not _pumps(phase)):
        surely = "seconds or water_ml" if _pumps(phase) else "seconds, since no water is pumped"
        yield Problem(
            f"{path}.exits",
            ", ".join(given) or "none",
            f"at least one exit that must come: {surely}",
        )
    yield from _contradictions(phase, path)
    limit, control = phase.limit, phase.command.control
    if limit.pressure_bar is not None and control not in ("flow", "valve"):
        yield Problem(
            f"{path}.limit.pressure_bar",
            shown(limit.pressure_bar),
            f"no pressure limit on a phase that commands {control}",
        )
    if limit.flow_ml_s is not None and control != "pressure":
        yield Problem(
            f"{path}.limit.flow_ml_s",
            shown(limit.flow_ml_s),
            f"no flow limit on a phase that commands {control}",
        )


def _contradictions(phase: Phase, path: str) -> Iterator[Problem]:
    """Exits that can never count, by each other or by the phase's own limit."""
    value: dict[str, float] = {rule.when: getattr(rule, "value", 0.0) for rule in phase.exits}
    at: dict[str, int] = {rule.when: index for index, rule in enumerate(phase.exits)}
    for what, unit, limit in (
        ("pressure", "bar", phase.limit.pressure_bar),
        ("flow", "mL/s", phase.limit.flow_ml_s),
    ):
        above, below = value.get(f"{what}_above"), value.get(f"{what}_below")
        if above is not None and below is not None and below >= above:
            yield Problem(
                f"{path}.exits.{at[f'{what}_below']}.value",
                f"{below:g}",
                f"less than {above:g} {unit}, where the phase is left on the way up",
            )
        if above is not None and limit is not None and above > limit:
            yield Problem(
                f"{path}.exits.{at[f'{what}_above']}.value",
                f"{above:g}",
                f"at most {limit:g} {unit}, this phase's own limit",
            )


def _pumps(phase: Phase) -> bool:
    """Whether water surely flows: a lever's may be pressed out, a shut valve lets none through."""
    command = phase.command
    if isinstance(command, OffCommand | SpringCommand | ForceCommand):
        return False
    return min(command.from_, command.to) > 0
