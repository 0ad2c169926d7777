import { bisectLeft, mean } from "d3-array";
import type { Profile, Shot } from "../../api/client";
import type { Live, LiveTraces } from "../../api/useLive";
import { type EventOf, eventsOf, firstEvent, lastEvent, type ShotEvent } from "../../shots/events";
import { amountNumber, grams, millilitres } from "../../ui/units";

type Exit = Profile["phases"][number]["exits"][number];

/** A running shot at this moment. */
export interface Now {
  time_s: number;
  /** Null where no device tells. */
  pressure_bar: number | null;
  water_ml_s: number | null;
  cup_g: number | null;
  phase: number;
  /** Since the phase began, s and mL. */
  inPhase_s: number;
  inPhase_ml: number;
  /** The highest pressure and flow of the phase, and the least flow since its first rush was over. */
  seen: { pressure_bar: number; water_ml_s: number; least_ml_s: number };
  stopped: EventOf<"stopped"> | undefined;
  dripped: boolean;
  held: boolean;
  /** What a hand has taken over, if it has. */
  taken: string | undefined;
  level: number | null;
  /** How fast weight, pressure and water change at present, a second; null where nobody tells. */
  pace: { cup_g: number | null; pressure_bar: number | null; water_ml: number | null };
  pumped_ml: number;
  commanded: number | null;
}

export function nowOf(traces: LiveTraces, events: ShotEvent[], profile: Profile): Now {
  const last = <T>(values: T[]) => values.at(-1);
  const began = lastEvent(events, "phase_began")?.time_s ?? 0;
  const held = lastEvent(events, "held", "released");
  const taken = lastEvent(events, "taken_over", "given_back");
  const phaseBegan = (t: number) => t >= began;
  const time_s = last(traces.time_s) ?? 0;
  return {
    time_s,
    pressure_bar: last(traces.pressure_bar) ?? null,
    water_ml_s: last(traces.water_in_ml_s) ?? null,
    cup_g: settled(last(traces.cup_g) ?? null),
    phase: last(traces.phase) ?? 0,
    inPhase_s: Math.max(0, time_s - began),
    inPhase_ml: pumped(traces, phaseBegan(began) ? began : 0),
    seen: seenSince(traces, began, profile.phases[last(traces.phase) ?? 0]?.command.control),
    stopped: firstEvent(events, "stopped"),
    dripped: firstEvent(events, "first_drip") !== undefined,
    held: held?.kind === "held" && held.time_s >= began,
    taken: taken?.kind === "taken_over" && taken.time_s >= began ? taken.control : undefined,
    level: last(traces.by_hand) ?? null,
    commanded: last(traces.commanded) ?? null,
    pace: {
      cup_g: slope(traces.time_s, traces.cup_g),
      pressure_bar: slope(traces.time_s, traces.pressure_bar),
      water_ml: last(traces.water_in_ml_s) ?? null,
    },
    pumped_ml: pumped(traces, 0),
  };
}

const REACHED_BAR = 0.3; // as the model has it: this close to the commanded pressure it is reached
const FALLEN_SHARE = 0.9; // of its highest: below it a flow has fallen

/**
 * What a phase has seen so far. A pressure "down to" a level counts once it was above it, a flow
 * "up to" one once it has settled below it: the rush that fills head and hoses is no sign.
 */
function seenSince(traces: LiveTraces, began: number, control: string | undefined) {
  const seen = { pressure_bar: 0, water_ml_s: 0, least_ml_s: Number.POSITIVE_INFINITY };
  for (let i = bisectLeft(traces.time_s, began); i < traces.time_s.length; i++) {
    const [bar, flow, wanted] = [
      traces.pressure_bar[i],
      traces.water_in_ml_s[i],
      traces.commanded[i],
    ];
    seen.pressure_bar = Math.max(seen.pressure_bar, bar ?? 0);
    if (flow == null) continue;
    seen.water_ml_s = Math.max(seen.water_ml_s, flow);
    const reached =
      control === "pressure" && bar != null && wanted != null && wanted - bar < REACHED_BAR;
    const settled = reached || control === "flow" || flow < FALLEN_SHARE * seen.water_ml_s;
    if (settled || Number.isFinite(seen.least_ml_s))
      seen.least_ml_s = Math.min(seen.least_ml_s, flow);
  }
  return seen;
}

const SLOPE_S = 1.2;

/** Change a second over the last moments, by least squares; null for too few readings. */
function slope(time_s: number[], values: (number | null)[]): number | null {
  const end = time_s.at(-1) ?? 0;
  const from = bisectLeft(time_s, end - SLOPE_S);
  const told = time_s.slice(from).flatMap((t, i) => {
    const value = values[from + i];
    return value == null ? [] : [[t, value] as const];
  });
  if (told.length < 4) return null;
  const [t0, v0] = [mean(told, ([t]) => t) ?? 0, mean(told, ([, v]) => v) ?? 0];
  const over = told.reduce((sum, [t]) => sum + (t - t0) ** 2, 0);
  return told.reduce((sum, [t, v]) => sum + (t - t0) * (v - v0), 0) / Math.max(over, 1e-6);
}

/** Seconds until a gate opens as things go now; undefined where that cannot be said. */
export function secondsTo(gate: Exit, now: Now): number | undefined {
  const value = "value" in gate ? gate.value : 0;
  switch (gate.when) {
    case "seconds":
      return Math.max(0, value - now.inPhase_s);
    case "cup_g":
      return reaching(now.cup_g, value, now.pace.cup_g);
    case "water_ml":
      return reaching(now.inPhase_ml, value, now.pace.water_ml);
    case "pressure_above":
      return reaching(now.pressure_bar, value, now.pace.pressure_bar);
    case "pressure_below":
      if (now.seen.pressure_bar <= value) return undefined;
      return reaching(
        now.pressure_bar === null ? null : -now.pressure_bar,
        -value,
        now.pace.pressure_bar === null ? null : -now.pace.pressure_bar,
      );
    default:
      return undefined;
  }
}

const STILL = 0.05; // a second: slower than this it comes to nothing

function reaching(at: number | null, to: number, pace: number | null) {
  if (at === null || pace === null) return undefined;
  if (at >= to) return 0;
  return pace > STILL ? (to - at) / pace : undefined;
}

/** The stop that comes first as things go now, in words and seconds. */
export function nextStop(shot: Shot, now: Now): { words: string; left_s: number } | undefined {
  const { stop } = shot.profile;
  const goal = stopAt(shot);
  const ways = [
    {
      words: goal === null ? "" : grams(goal, 0),
      left_s: goal === null ? undefined : reaching(now.cup_g, goal, now.pace.cup_g),
    },
    {
      words: stop.water_ml == null ? "" : millilitres(stop.water_ml),
      left_s:
        stop.water_ml == null
          ? undefined
          : reaching(now.pumped_ml, stop.water_ml, now.pace.water_ml),
    },
    {
      words: `${stop.time_s} s`,
      left_s: stop.time_s === undefined ? undefined : Math.max(0, stop.time_s - now.time_s),
    },
  ];
  return ways
    .flatMap(({ words, left_s }) => (left_s === undefined ? [] : [{ words, left_s }]))
    .sort((a, b) => a.left_s - b.left_s)[0];
}

const NOISE_G = 0.3;

/** An empty cup flickers around nought; what weighs less than that was taken away. */
function settled(cup_g: number | null) {
  return cup_g !== null && cup_g < 0 && cup_g > -NOISE_G ? 0 : cup_g;
}

function pumped(traces: LiveTraces, since: number) {
  let sum = 0;
  for (let i = traces.time_s.length - 1; i > 0; i--) {
    const [t0, t1] = [traces.time_s[i - 1] ?? 0, traces.time_s[i] ?? 0];
    if (t1 <= since) break;
    sum += ((traces.water_in_ml_s[i] ?? 0) + (traces.water_in_ml_s[i - 1] ?? 0)) * 0.5 * (t1 - t0);
  }
  return sum;
}

/** How far a gate still is, in a few words. */
export function gateWords(gate: Exit, now: Now): string {
  const value = "value" in gate ? gate.value : 0;
  switch (gate.when) {
    case "seconds":
      return now.inPhase_s < value
        ? `${Math.ceil(value - now.inPhase_s)} s left`
        : "the time is up";
    case "pressure_above":
      return risen(now.pressure_bar, value, "bar", "by the gauge");
    case "pressure_below":
      return fallen(now.pressure_bar, value, "bar", "by the gauge");
    case "flow_above":
      return risen(now.water_ml_s, value, "mL/s", "by eye");
    case "flow_below":
      return fallen(now.water_ml_s, value, "mL/s", "by eye");
    case "water_ml":
      return now.water_ml_s === null
        ? `${millilitres(value)}, by eye`
        : `${amountNumber(now.inPhase_ml, "mL", 0)} of ${millilitres(value)}`;
    case "cup_g":
      return now.cup_g === null
        ? `${grams(value)}, not weighed`
        : `${amountNumber(now.cup_g, "g", 1)} of ${grams(value)}`;
    case "first_drip":
      return now.dripped ? "it has dripped" : "no drip yet";
    case "hand":
      return "your signal";
  }
}

function risen(now: number | null, to: number, unit: string, unseen: string) {
  return now === null ? `${to} ${unit}, ${unseen}` : `${now.toFixed(1)} of ${to} ${unit}`;
}

function fallen(now: number | null, to: number, unit: string, unseen: string) {
  return now === null
    ? `down to ${to} ${unit}, ${unseen}`
    : `${now.toFixed(1)}, down to ${to} ${unit}`;
}

/** Whether a gate is met: then a hand should go on. What nobody tells is never met. */
export function gateMet(gate: Exit, now: Now): boolean {
  const value = "value" in gate ? gate.value : 0;
  switch (gate.when) {
    case "seconds":
      return now.inPhase_s >= value;
    case "pressure_above":
      return (now.pressure_bar ?? 0) >= value;
    case "pressure_below":
      return (
        now.pressure_bar !== null && now.pressure_bar <= value && now.seen.pressure_bar > value
      );
    case "flow_above":
      return (now.water_ml_s ?? 0) >= value && now.seen.least_ml_s < value;
    case "flow_below":
      return now.water_ml_s !== null && now.water_ml_s <= value && now.seen.water_ml_s > value;
    case "water_ml":
      return now.inPhase_ml >= value;
    case "cup_g":
      return (now.cup_g ?? 0) >= value;
    case "first_drip":
      return now.dripped;
    case "hand":
      return false;
  }
}

/** The weight to stop at: the goal less what will still drip, for a hand that stops it. */
export function stopAt(shot: Shot) {
  const goal = shot.profile.stop.cup_g ?? null;
  if (goal === null) return null;
  return shot.manual ? Math.max(0, goal - (shot.after_drip_g ?? 0)) : goal;
}

/** What a hand steers on this shot now: what it took over, or what the machine has. */
export function steeredBy(shot: Shot, now: Now): string | undefined {
  if (now.taken) return now.taken;
  const own = Object.keys(shot.nudges);
  if (shot.manual) return own[0];
  const control = shot.profile.phases[now.phase]?.command.control;
  return control && control in shot.nudges ? control : undefined;
}

/** By how much a variable was nudged so far. */
export function offsetOf(events: Live["events"], control: string | undefined) {
  return eventsOf(events, "nudged")
    .filter((one) => one.control === control)
    .reduce((sum, one) => sum + one.by, 0);
}
