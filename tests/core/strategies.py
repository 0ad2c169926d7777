"""Anything a user may enter, for property tests."""

from __future__ import annotations

from typing import get_args

from hypothesis import strategies as st

from tests.factories import STRONG
from vapocline.core.base.quantities import RANGES
from vapocline.core.coffee.coffee import Roast
from vapocline.core.machine.machine import Machine
from vapocline.core.puck.plan import Setup


def within(name: str) -> st.SearchStrategy[float]:
    return st.floats(RANGES[name].low, RANGES[name].high)


def commands() -> st.SearchStrategy[dict[str, object]]:
    moving = [
        st.fixed_dictionaries(
            {"control": st.just(control), "from": within(name), "to": within(name)}
        )
        for control, name in (("pressure", "pressure_bar"), ("flow", "flow_ml_s"))
    ]
    return st.one_of(*moving, st.just({"control": "off"}))


EXITS = st.one_of(
    *(
        st.fixed_dictionaries({"when": st.just(when), "value": within(name)})
        for when, name in (
            ("pressure_above", "pressure_bar"),
            ("pressure_below", "pressure_bar"),
            ("flow_above", "flow_ml_s"),
            ("flow_below", "flow_ml_s"),
            ("water_ml", "water_ml"),
            ("cup_g", "cup_g"),
        )
    ),
    st.just({"when": "first_drip"}),
)


@st.composite
def phases(draw: st.DrawFn) -> dict[str, object]:
    return {
        "name": "Any",
        "kind": "hold",
        "command": draw(commands()),
        "along": draw(st.sampled_from(["time", "water", "cup"])),
        "over": draw(within("over")),
        "shape": draw(st.sampled_from(["step", "linear", "smooth", "spring"])),
        "exits": [draw(EXITS), {"when": "seconds", "value": draw(st.floats(0.1, 40))}],
    }


MACHINES = st.builds(
    Machine,
    name=st.just("Any"),
    relief_bar=st.just(15.0),
    top_flow_ml_s=st.just(20.0),
    floor_bar=within("floor_bar"),
    pump_max_bar=st.floats(6.5, RANGES["pump_max_bar"].high),
    when_off=st.sampled_from(["hold", "dump"]),
    head_free_ml=within("head_ml"),
    head_trapped_ml=within("head_ml"),
    pressure_lag_s=within("lag_s"),
    flow_lag_s=within("lag_s"),
    scale_lag_s=within("lag_s"),
)
SETUPS = st.builds(
    Setup,
    dose_g=within("dose_g"),
    grind_um=within("grind_um"),
    roast=st.sampled_from(get_args(Roast)),
    rest_days=within("rest_days"),
    basket_diameter_mm=within("basket_diameter_mm"),
    water_c=within("water_c"),
    puck_start_c=within("puck_start_c"),
    unevenness=within("unevenness"),
    machine=st.one_of(st.just(STRONG), MACHINES),
)
STOPS = st.fixed_dictionaries(
    {"cup_g": st.one_of(st.none(), within("cup_g")), "time_s": st.floats(1, 90)}
)
