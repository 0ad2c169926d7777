"""Draw the figures of docs/model.md from the real engine: ./vapo figures."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import matplotlib as mpl
import matplotlib.pyplot as plt
from matplotlib.axes import Axes

from tests.factories import bloomed, flat, flow, plan, pressure, seconds, soaked
from vapocline.core.plan.sensitivity import sensitivities
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.predict import predict

FOLDER = Path(__file__).parent / "figures"
INK, PRESSURE, WATER, CUP, WEIGHT = "#12312B", "#5B2A86", "#B97A00", "#D5452B", "#33474F"


def traces(axes: Axes, answer: Prediction, name: str) -> None:
    """Pressure, water in, cup out and weight of one shot, until it stops."""
    s = answer.series
    n = sum(t <= answer.shot_time_s.value for t in s.time_s)
    axes.plot(s.time_s[:n], s.pressure_bar[:n], color=PRESSURE, lw=2, label="pressure, bar")
    axes.plot(
        s.time_s[:n], s.water_in_ml_s[:n], color=WATER, lw=1.6, ls="--", label="water in, mL/s"
    )
    axes.plot(s.time_s[:n], s.cup_out_ml_s[:n], color=CUP, lw=1.6, label="cup out, mL/s")
    axes.plot(s.time_s[:n], [g / 5 for g in s.cup_g[:n]], color=WEIGHT, lw=1, label="cup, g / 5")
    figures = f"{answer.shot_time_s.value:.1f} s, EY {answer.extraction_yield_pct.value:.1f} %"
    axes.set_title(f"{name}: {figures}", fontsize=9, loc="left")
    axes.set_ylim(0, 14)
    axes.set_xlabel("s", fontsize=8)


def shots() -> None:
    """Four shots of one puck."""
    kinds = {
        "flat nine": flat(9),
        "soaked, then 2.5 mL/s": predict(plan(*soaked(2.5))),
        "bloom": predict(plan(*bloomed())),
        "nine falling to four": predict(plan(pressure(9, 4, over=25))),
    }
    _, grid = plt.subplots(2, 2, figsize=(9, 5.6), layout="constrained")
    for axes, (name, answer) in zip(grid.flat, kinds.items(), strict=True):
        traces(axes, answer, name)
    grid.flat[0].legend(fontsize=7, frameon=False, loc="upper left")


def levers() -> None:
    """Shot time and extraction against grind, pressure and rest."""
    _, grid = plt.subplots(1, 3, figsize=(9, 3), layout="constrained")
    cases = (
        ("nominal grind, µm", range(200, 401, 10), lambda x: flat(9, grind_um=x)),
        ("pressure, bar", range(4, 13), flat),
        ("rest, days", (1, 2, 4, 7, 12, 20, 30, 60), lambda x: flat(9, rest_days=x)),
    )
    for axes, (name, values, shot) in zip(grid, cases, strict=True):
        answers = [shot(value) for value in values]
        axes.plot(list(values), [a.shot_time_s.value for a in answers], color=INK, marker="s", ms=4)
        other = axes.twinx()
        other.plot(
            list(values),
            [a.extraction_yield_pct.value for a in answers],
            color=CUP,
            marker="o",
            ms=4,
        )
        axes.set_xlabel(name, fontsize=9)
        axes.set_ylabel("shot time, s", fontsize=8, color=INK)
        other.set_ylabel("extraction, %", fontsize=8, color=CUP)


def age() -> None:
    """What rest does: to a shot at three pressures, to more pressure, and to what a bloom gains."""
    days = (1, 2, 3, 4, 5, 7, 9, 12, 16, 20, 25, 30, 40)
    _, grid = plt.subplots(1, 3, figsize=(9, 3), layout="constrained")
    times = {bar: [flat(bar, rest_days=d).shot_time_s.value for d in days] for bar in (6, 9, 12)}
    for (bar, values), colour in zip(times.items(), (WATER, INK, PRESSURE), strict=True):
        grid[0].plot(days, values, color=colour, label=f"{bar} bar")
    grid[0].legend(fontsize=7, frameon=False)
    grid[0].set_ylabel("shot time, s", fontsize=8)
    slower = [100 * (high / low - 1) for low, high in zip(times[9], times[12], strict=True)]
    grid[1].plot(days, slower, color=PRESSURE)
    grid[1].set_ylabel("time at 12 over 9 bar, %", fontsize=8)
    gains = [
        predict(plan(*bloomed(), rest_days=d, roast="light")).extraction_yield_pct.value
        - flat(9, rest_days=d, roast="light").extraction_yield_pct.value
        for d in days
    ]
    grid[2].plot(days, gains, color=CUP)
    grid[2].set_ylim(0)
    grid[2].set_ylabel("a bloom's gain, light, points", fontsize=8)
    for axes in grid:
        axes.axhline(0, color=INK, lw=0.5)
        axes.set_xlabel("rest, days", fontsize=8)
    grid[0].set_ylim(min(map(min, times.values())) - 2)


def ranges() -> None:
    """The ensemble around one shot, of a coffee that is known here and of a new one."""
    _, both = plt.subplots(1, 2, figsize=(9, 3.2), layout="constrained", sharey=True)
    for axes, known in zip(both, (True, False), strict=True):
        one = plan(*soaked(2.2), dialled_in=known)
        _ensemble(axes, predict(one.model_copy(update={"members": 200})), known)


def _ensemble(axes: Axes, answer: Prediction, known: bool) -> None:
    s = answer.series
    for name, colour in (
        ("pressure_bar", PRESSURE),
        ("water_in_ml_s", WATER),
        ("cup_out_ml_s", CUP),
    ):
        inside = [
            i
            for i, low in enumerate(getattr(s, f"{name}_p10"))
            if low is not None and s.time_s[i] <= answer.shot_time_s.value
        ]
        low, high = ([getattr(s, f"{name}_{end}")[i] for i in inside] for end in ("p10", "p90"))
        axes.fill_between([s.time_s[i] for i in inside], low, high, color=colour, alpha=0.2, lw=0)
        axes.plot(
            [s.time_s[i] for i in inside], [getattr(s, name)[i] for i in inside], color=colour
        )
    taken = answer.extraction_yield_pct
    said = "known here" if known else "never dialled in here"
    axes.set_title(
        f"{said}: EY {taken.value:.1f} %, 8 in 10 from {taken.p10:.1f} to {taken.p90:.1f}",
        fontsize=9, loc="left",
    )  # fmt: skip
    axes.set_xlabel("s", fontsize=8)


def steps() -> None:
    """What one step of each number does to time and extraction."""
    found = sensitivities(plan(flow(4, None, seconds(5), name="Fill"), pressure(9, name="Hold")))
    names = [f"{one.name} +{one.step:g} {one.unit}" for one in found]
    _, grid = plt.subplots(1, 2, figsize=(9, 3.4), layout="constrained", sharey=True)
    for axes, figure, words in (
        (grid[0], "shot_time_s", "shot time, s"),
        (grid[1], "extraction_yield_pct", "extraction, points"),
    ):
        axes.barh(names, [one.changes[figure] or 0 for one in found], color=PRESSURE, height=0.6)
        axes.axvline(0, color=INK, lw=0.8)
        axes.set_xlabel(words, fontsize=8)
    grid[0].invert_yaxis()


FIGURES: dict[str, Callable[[], None]] = {
    "shots": shots,
    "levers": levers,
    "age": age,
    "ranges": ranges,
    "steps": steps,
}


def main() -> None:
    """Write every figure as SVG, the same bytes from the same engine."""
    FOLDER.mkdir(exist_ok=True)
    mpl.use("svg")
    plt.rcParams |= {"svg.hashsalt": "vapocline", "font.size": 8, "axes.spines.top": False}
    for name, draw in FIGURES.items():
        draw()
        plt.savefig(FOLDER / f"{name}.svg", metadata={"Date": None})
        plt.close("all")


if __name__ == "__main__":
    main()
