"""Suggestions, what-ifs and the simple sliders, on the bench."""

from __future__ import annotations

from vapocline.core.plan.simple import Slid, Sliders, slide
from vapocline.core.plan.suggestions import Suggested, SuggestionAsk, suggest
from vapocline.core.plan.what_if import Variant, what_if
from vapocline.core.profile.profile import Profile
from vapocline.desk.bench.setup import bench_plan
from vapocline.desk.context import Context


def ask_suggestion(context: Context, profile: Profile, ask: SuggestionAsk) -> Suggested:
    """Work out a suggestion for a draft on the bench. Raises Refused."""
    return suggest(bench_plan(context, profile), ask)


def what_if_on_bench(context: Context, profile: Profile) -> list[Variant]:
    """A draft under a little more or less of everything. Raises Refused."""
    return what_if(bench_plan(context, profile))


def slide_on_bench(context: Context, profile: Profile, sliders: Sliders) -> Slid:
    """Move a draft by the simple sliders. Raises Refused."""
    return slide(bench_plan(context, profile), sliders)
