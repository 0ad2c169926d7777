"""The same equations once more, plainly, for scipy's solve_ivp: no steps of our own, no compiling.

Written from docs/model.md and not from the kernel. What switches there (limits, relief, the pump's
rise) is here a fast approach, so that the right-hand side stays finite.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from scipy.integrate import solve_ivp

from vapocline.core.profile.profile import Phase
from vapocline.core.puck.parameters import parameters_for
from vapocline.core.puck.plan import Plan
from vapocline.core.shot.result import FIRST_DRIP_G

CELLS = 24
NUMBERS, LANES = np.arange(CELLS)[None], np.arange(3)
WEIGHTS, OFFSETS = np.array([0.25, 0.5, 0.25]), np.array([-1.22, 0.0, 1.22])
AIR, FAST = 1.013, 0.02  # bar; s, for what switches
TOP_RISE_S = 0.15
# One row of cells a lane: uptake, gas, coarse solids of three classes, solutes of three classes.
ROWS = 8
SCALARS = 7  # head, water pumped, puck °C, flow's memory, scale, water °C, how hard it was wetted
LANES_AT = SCALARS + 8
CELLS_AT = LANES_AT + 12


class Outcome(NamedTuple):
    """What is compared."""

    shot_time_s: float
    extraction_yield_pct: float
    peak_bar: float
    first_drip_s: float


class Place:
    """A state vector by its names."""

    def __init__(self, y: np.ndarray) -> None:
        self.y = y
        self.head, self.water, self.heat, self.flow, self.scale = y[:5].tolist()
        self.feed_c, self.hard = y[5:7].tolist()
        self.spout, self.cup = y[SCALARS : SCALARS + 4], y[SCALARS + 4 : LANES_AT]
        # pore water, compaction, lodged and mobile fines
        self.lanes = y[LANES_AT:CELLS_AT].reshape(4, 3)
        self.cells = y[CELLS_AT:].reshape(ROWS, 3, CELLS)


class Shot:
    """One plan on its nominal puck."""

    def __init__(self, plan: Plan) -> None:
        self.plan, self.p = plan, parameters_for(plan.setup)
        self.pore = WEIGHTS * self.p.area_cm2 * self.p.depth_cm * self.p.void_fraction
        self.cell = self.pore / CELLS
        self.grams = self.p.dose_g * WEIGHTS / CELLS
        self.edge = np.arange(CELLS) * self.cell[:, None]
        self.each_cell, self.each_grams = self.cell[:, None], self.grams[:, None]
        self.share = np.array([self.p.bright_pct, self.p.sweet_pct, self.p.bitter_pct]) / 100
        self.class_grams = self.share[:, None, None] * self.each_grams
        self.coarse = (1 - self.p.fines_share) * self.class_grams
        self.fine = self.p.fines_share * self.class_grams
        # what water inside the grains holds beside that between them
        inside = self.p.partition * self.p.uptake_ml_g * self.each_grams
        self.stored = self.each_cell + inside * self.p.fines_share
        self.back = inside * (1 - self.p.fines_share) / self.stored
        self.pace = np.array([self.p.bright_per_s, self.p.sweet_per_s, self.p.bitter_per_s])
        self.phase: Phase | None = plan.profile.phases[0]
        self.began, self.water_then, self.scale_then = 0.0, 0.0, 0.0
        self.top_flow, self.least_flow = 0.0, math.inf

    def start(self) -> np.ndarray:
        y = np.zeros(CELLS_AT + ROWS * 3 * CELLS)
        here = Place(y)
        y[2], y[5] = self.p.puck_start_c, self.p.water_c
        here.lanes[3] = 1.0
        here.cells[2:5] = 1.0
        return y

    def pressure(self, head: float) -> float:
        """Gauge pressure of so much water in the head: the inverse of its volume by pressure."""
        v = head - self.p.head_free_ml
        if v <= 0:
            return 0.0
        a, b = self.p.hose_ml_bar, self.p.hose_ml_bar * AIR + self.p.head_trapped_ml - v
        return (-b + math.sqrt(b * b + 4 * a * v * AIR)) / (2 * a)

    def give(self, bar: float) -> float:
        """How much more water the head takes for a bar, mL/bar."""
        return self.p.head_trapped_ml * AIR / (bar + AIR) ** 2 + self.p.hose_ml_bar

    def commanded(self, t: float, here: Place) -> float:
        assert self.phase
        command, phase = self.phase.command, self.phase
        done = {
            "time": t - self.began,
            "water": here.water - self.water_then,
            "cup": here.scale - self.scale_then,
        }[phase.along]
        x = min(1.0, max(0.0, done / phase.over)) if phase.over > 0 else 1.0
        f = {
            "linear": x,
            "smooth": x * x * (3 - 2 * x),
            "spring": (1 - math.exp(-2 * x)) / (1 - math.exp(-2)),
            "step": float(x >= 1),
        }[phase.shape]
        return command.from_ + (command.to - command.from_) * f

    def bed(self, here: Place, bar: float) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
        """Conductance, drive and thirst of each lane, and how wet each cell is."""
        p, cells = self.p, here.cells
        past_edge = here.lanes[0][:, None] - self.edge
        wet = np.minimum(np.maximum(past_edge, 0.0), self.each_cell)
        w = wet / self.each_cell
        some = np.maximum(w, 1e-9)
        taken = cells[0] / (self.each_grams * some)
        gas = cells[1] / some
        dissolved = (self.share @ (1 - cells[2:5]).reshape(3, -1)).reshape(3, CELLS)
        dissolved = np.maximum(0, (1 - p.fines_share) * dissolved)
        solute = cells[5:8].sum(0) / (self.stored * some)
        each = w * (1 + p.swelling * taken / p.uptake_ml_g) * (1 + p.gas_block * gas**2)
        each *= np.exp(np.minimum(np.maximum(2.5 * solute - p.erosion * dissolved, -5.0), 5.0))
        depth = p.film_cm + p.depth_cm / CELLS * each.sum(1)
        wetness = w.sum(1)
        mean_gas = np.where(wetness > 1e-6, cells[1].sum(1) / np.maximum(wetness, 1e-6), p.gas_ml_g)
        self.mean_gas = mean_gas
        self.pressed = p.compaction_per_bar * bar
        self.pressed = self.pressed + p.compaction_gas * mean_gas * (bar / 9) ** p.compaction_power
        made = p.unevenness * (1 + p.unevenness_pressed * here.hard)
        apart = made / math.hypot(1, made / p.unevenness_top)
        fluid = math.exp(0.0118 * (here.heat - 93))
        conductance = WEIGHTS * p.permeability * np.exp(OFFSETS * apart - here.lanes[1])
        conductance *= fluid / (1 + p.fines_block * here.lanes[2]) / depth
        through = here.lanes[0] >= self.pore * (1 - 1e-6)
        drive = np.where(through, 0.0, p.capillary_bar - p.gas_back_bar * mean_gas)
        thirst = np.maximum(0, p.uptake_ml_g * self.each_grams * w - cells[0])
        thirst *= (1 + bar / 6) / p.uptake_tau_s
        return conductance, drive, thirst, wet

    def flows(
        self, conductance: np.ndarray, drive: np.ndarray, thirst: np.ndarray, bar: float
    ) -> np.ndarray:
        return np.maximum(conductance * np.maximum(0, bar + drive), thirst.sum(1))

    def feed(
        self, t: float, here: Place, bar: float, passes: float, at_limit: float
    ) -> tuple[float, float]:
        """(what is pumped mL/s, how its memory moves mL/s²)."""
        p = self.p
        if self.phase is None:
            return 0.0, -here.flow / FAST
        if self.phase.command.control == "off":
            if p.dumps_when_off or not p.floor_bar:
                return 0.0, -here.flow / FAST
            # A plumbed feed presses on while the pump rests.
            need = self.give(bar) * (p.floor_bar - bar) / FAST + passes
            wanted = max(0.0, min(need, p.top_flow_ml_s))
            return here.flow, (wanted - here.flow) / FAST
        curve = max(0.0, p.top_flow_ml_s * (1 - bar / p.pump_max_bar))
        target, control = self.commanded(t, here), self.phase.command.control
        give = self.give(bar)
        if control == "pressure":
            limit = self.phase.limit.flow_ml_s
            if here.head < p.head_free_ml:
                need = math.inf
            else:
                need = give * (max(target, p.floor_bar) - bar) / p.pressure_lag_s + passes
            wanted = max(
                0.0, min(need, math.inf if limit is None else limit, p.top_flow_ml_s * 1.2)
            )
            return min(here.flow, curve), min(
                (wanted - here.flow) / FAST, p.top_flow_ml_s / TOP_RISE_S
            )
        wanted, limit = here.flow, self.phase.limit.pressure_bar
        if limit is not None and bar > limit - 0.3:
            wanted = max(0.0, min(wanted, at_limit + give * (limit - bar) / (4 * FAST)))
        return min(wanted, curve), (target - here.flow) / p.flow_lag_s

    def rates(self, t: float, y: np.ndarray) -> np.ndarray:
        p, here, out = self.p, Place(y), np.zeros_like(y)
        d = Place(out)
        bar = self.pressure(here.head)
        conductance, drive, thirst, wet = self.bed(here, bar)
        into = self.flows(conductance, drive, thirst, bar)
        limit = self.phase.limit.pressure_bar if self.phase else None
        at_limit = self.flows(conductance, drive, thirst, limit).sum() if limit is not None else 0.0
        feed, out[3] = self.feed(t, here, bar, into.sum(), at_limit)
        if here.head < 0.02:  # an empty head passes on only what comes
            into *= min(1.0, (feed + here.head / 0.02) / max(into.sum(), 1e-12))
        lost = 0.0
        off = self.phase is None or self.phase.command.control == "off"
        if off and p.dumps_when_off and bar > 0:
            let_go = max(0.0, self.give(bar) * bar / p.dump_tau_s - into.sum())
            lost = let_go
            out[6] += p.unevenness_released * bar / p.dump_tau_s / 9 * (let_go > 0)
        if off and p.dumps_when_off and bar < 0.1:
            lost += max(0.0, here.head - (1 - p.drain_share) * p.head_free_ml) / 1.0
        if bar > p.relief_bar:
            lost = max(0.0, feed - into.sum()) + self.give(bar) * (bar - p.relief_bar) / FAST
        out[0], out[1] = feed - into.sum() - lost, feed
        passed = self.cells_move(here, d, into, thirst, wet, bar)
        out[6] += bar / 9 * d.lanes[0].sum() / self.pore.sum()
        self.fines_and_heat(here, d, into, feed, bar)
        total = passed.sum(1)
        d.spout[:] = total - here.spout / p.spout_tau_s
        d.cup[:] = here.spout / p.spout_tau_s
        out[4] = (here.cup.sum() - here.scale) / p.scale_lag_s
        return out

    def cells_move(
        self,
        here: Place,
        d: Place,
        into: np.ndarray,
        thirst: np.ndarray,
        wet: np.ndarray,
        bar: float,
    ) -> np.ndarray:
        """Water and solutes down each lane; returns what leaves below: water, then each class."""
        p, cells = self.p, here.cells
        drunk = thirst * np.minimum(1, into / np.maximum(thirst.sum(1), 1e-12))[:, None]
        flux = np.maximum(0, into[:, None] - np.cumsum(drunk, 1))  # leaving each cell
        through = here.lanes[0] >= self.pore * (1 - 1e-6)
        spare = np.maximum(0, into - drunk.sum(1))
        filling = np.where(through, 0.0, spare)
        d.lanes[0][:] = filling
        front = np.minimum((here.lanes[0] / self.cell).astype(int), CELLS - 1)
        flux[(front[:, None] <= NUMBERS) & ~through[:, None]] = 0
        d.cells[0][:] = drunk
        d.cells[1][:] = cells[1] / -(p.gas_tau_s * (1 + bar / p.gas_keeps_bar))
        d.cells[1][LANES, front] += p.gas_ml_g * filling / self.cell
        w = wet / self.each_cell
        pace = math.exp(0.028 * (here.heat - 93)) * p.size_ratio
        pace = pace / (1 + p.gas_hinders * self.mean_gas[:, None])
        gone = (
            self.pace[:, None, None]
            * pace
            * (w * self.coarse * cells[2:5] - self.back * cells[5:8])
        )
        carried = cells[5:8] / (self.stored * w + 1e-12)  # g/mL in each cell's water
        into_cell = np.zeros_like(carried)
        into_cell[:, :, 1:] = carried[:, :, :-1]
        arriving = np.concatenate([into[:, None], flux[:, :-1]], axis=1) * into_cell
        returned = drunk * into_cell
        leaving = carried * flux
        d.cells[2:5] = (returned - gone) / self.coarse
        d.cells[5:8] = gone + arriving - returned - leaving
        d.cells[5:8, LANES, front] += self.fine[:, LANES, 0] * (filling / self.cell)
        mixing = np.maximum(0, p.dispersion_cm * CELLS / p.depth_cm - 0.5)
        full = w[:, 1:] >= 1 - 1e-9
        moved = mixing * flux[:, 1:] * full / self.stored * (cells[5:8, :, :-1] - cells[5:8, :, 1:])
        d.cells[5:8, :, :-1] -= moved
        d.cells[5:8, :, 1:] += moved
        passed = np.empty((4, 3))
        passed[0], passed[1:] = spare * through, leaving[:, :, -1] * through
        return passed

    def fines_and_heat(
        self, here: Place, d: Place, into: np.ndarray, feed: float, bar: float
    ) -> None:
        p, lanes = self.p, here.lanes
        tau = np.where(self.pressed > lanes[1], p.compaction_rise_s, p.compaction_recovery_s)
        d.lanes[1][:] = (self.pressed - lanes[1]) / tau
        carried = p.fines_rate * np.maximum(0, into / WEIGHTS - p.fines_speed_ml_s)
        locked = lanes[0] / self.pore / p.fines_lock_s
        d.lanes[2][:] = lanes[3] * carried
        d.lanes[3][:] = -lanes[3] * (carried + locked)
        mass = p.dose_g * 1.5 + 4.18 * lanes[0].sum()
        loss = p.heat_loss_w_k
        off = self.phase is None or self.phase.command.control == "off"
        if off and p.dumps_when_off and bar < 0.1:
            loss += 0.6 * max(0.0, 1 - here.head / p.head_free_ml)
        warmed = 4.18 * into.sum() * (here.feed_c - here.heat) + loss * (22 - here.heat)
        d.y[2] = warmed / mass
        own = None if self.phase is None else self.phase.water_c
        wanted = p.water_c if own is None else p.water_c + own - p.set_water_c
        if p.water_follows_s and not p.boiler_ml:
            d.y[5] = (wanted - here.feed_c) / p.water_follows_s
        if p.boiler_ml:
            heating = p.heater_w * min(1.0, max(0.0, (wanted - here.feed_c) / 2))
            d.y[5] = (heating - 4.18 * feed * (here.feed_c - 20)) / (4.18 * p.boiler_ml)

    def flow_risen(self, t: float, y: np.ndarray, level: float) -> float:
        """Rises through nought when a flow that has settled below a level comes to it again."""
        assert self.phase
        pumped, bar, command = self.rates(t, y)[1], self.pressure(y[0]), self.phase.command
        self.top_flow = max(self.top_flow, pumped)
        reached = command.control == "pressure" and self.commanded(t, Place(y)) - bar < 0.3
        settled = reached or command.control == "flow" or pumped < 0.9 * self.top_flow
        if settled or self.least_flow < math.inf:
            self.least_flow = min(self.least_flow, pumped)
        return pumped - level if self.least_flow < level else -1.0

    def events(self) -> list:
        """Functions of (t, y) that rise through nought when an exit or the stop is met."""
        assert self.phase
        plan, began, water = self.plan, self.began, self.water_then
        stop = plan.profile.stop
        rules = [lambda t, _y: t - stop.time_s]
        if stop.cup_g is not None:
            rules.append(lambda _t, y: y[4] - stop.cup_g)
        self.stops = len(rules)
        for rule in self.phase.exits:
            value = getattr(rule, "value", 0.0)
            rules.append(
                {
                    "seconds": lambda t, _y, v=value: t - began - v,
                    "pressure_above": lambda _t, y, v=value: self.pressure(y[0]) - v,
                    "pressure_below": lambda _t, y, v=value: v - self.pressure(y[0]),
                    "flow_above": lambda t, y, v=value: self.flow_risen(t, y, v),
                    "flow_below": lambda t, y, v=value: v - self.rates(t, y)[1],
                    "water_ml": lambda _t, y, v=value: y[1] - water - v,
                    "cup_g": lambda _t, y, v=value: y[4] - v,
                    "first_drip": lambda _t, y: Place(y).cup.sum() - FIRST_DRIP_G,
                }[rule.when]
            )
        for rule in rules:
            rule.terminal, rule.direction = True, 1
        return rules


def walk(plan: Plan, rtol: float = 1e-4) -> Outcome:
    """Solve a plan phase by phase, to the last drips."""
    shot = Shot(plan)
    y, t, peak, drip, ended = shot.start(), 0.0, 0.0, math.nan, False
    phases = list(plan.profile.phases)
    while phases and not ended:
        shot.phase = phases.pop(0)
        shot.began, shot.water_then, shot.scale_then = t, y[1], y[4]
        shot.top_flow, shot.least_flow = 0.0, math.inf
        solved = solve_ivp(
            shot.rates, (t, t + 300), y, method="RK23", rtol=rtol, atol=1e-6, max_step=0.1,
            events=shot.events(),
        )  # fmt: skip
        t, y = solved.t[-1], solved.y[:, -1]
        ended = any(len(found) for found in solved.t_events[: shot.stops])
        peak = max(peak, *(shot.pressure(head) for head in solved.y[0]))
        cup = solved.y[SCALARS + 4 : LANES_AT].sum(0)
        if math.isnan(drip) and cup[-1] >= FIRST_DRIP_G:
            drip = float(np.interp(FIRST_DRIP_G, cup, solved.t))
    stopped, shot.phase = t, None
    last = solve_ivp(shot.rates, (t, t + 6), y, method="RK23", rtol=rtol, atol=1e-6, max_step=0.1)
    solids = Place(last.y[:, -1]).cup[1:].sum()
    return Outcome(stopped, 100 * solids / shot.p.dose_g, peak, drip)
