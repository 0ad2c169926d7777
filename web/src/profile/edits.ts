import type { Machine, Prediction } from "../api/client";
import { interpolated } from "../charts/interpolate";
import type { Typed } from "../ui/NumberField";
import {
  type Control,
  type ExitWhen,
  type LooseExit,
  type LoosePhase,
  type LooseProfile,
  replaced,
} from "./loose";

export type Fineness = "fine" | "plain" | "coarse";
type Run = Prediction["phases"][number];

/** A modifier held while nudging or dragging: Alt goes finer than the machine's steps, Shift coarser. */
export function finenessOf(event: { altKey: boolean; shiftKey: boolean }): Fineness {
  if (event.altKey) return "fine";
  return event.shiftKey ? "coarse" : "plain";
}

/** One step of a quantity at a fineness. */
export function stepOf(step: number, fineness: Fineness) {
  return fineness === "fine" ? step / 10 : fineness === "coarse" ? step * 10 : step;
}

/** The nearest multiple of a step, not below `least` nor above `most`. */
export function snapped(value: number, step: number, least = 0, most = Number.POSITIVE_INFINITY) {
  const nearest = Number((Math.round(value / step) * step).toFixed(4));
  return Math.min(most, Math.max(least, nearest));
}

/** The step a machine takes of what a command sets. */
export function levelStep(machine: Machine | undefined, control: Control) {
  const steps = machine?.steps;
  if (control === "pressure") return steps?.pressure_bar ?? 0.1;
  if (control === "flow") return steps?.flow_ml_s ?? 0.1;
  return control === "valve" ? (steps?.valve_turns ?? 0.05) : (steps?.force_kg ?? 0.5);
}

export const number = (value: Typed | undefined) => (typeof value === "number" ? value : undefined);

function isHeld(phase: LoosePhase) {
  return phase.over === 0;
}

/** Which end of a command a handle sets. */
export type End = "level" | "from" | "to";

/**
 * A profile with a command's end at another value. Where a neighbour starts or ends at the very same
 * value, it comes along: the joint stays one.
 */
export function withLevel(profile: LooseProfile, index: number, end: End, value: number) {
  const phase = profile.phases[index];
  if (!phase) return profile;
  const was = number(phase.command[end === "from" ? "from" : "to"]);
  const phases = [...profile.phases];
  phases[index] = set(phase, end, value);
  const { control } = phase.command;
  if (end !== "to") joint(phases, index - 1, "to", control, was, value);
  if (end !== "from") joint(phases, index + 1, "from", control, was, value);
  return { ...profile, phases };
}

function set(phase: LoosePhase, end: End, value: number): LoosePhase {
  const command = { ...phase.command };
  if (end !== "to") command.from = value;
  if (end !== "from") command.to = value;
  return { ...phase, command };
}

/** Take a touching neighbour along; a held one only if it ends there, not to move what follows it. */
function joint(
  phases: LoosePhase[],
  index: number,
  end: "from" | "to",
  control: Control,
  was: number | undefined,
  value: number,
) {
  const phase = phases[index];
  if (!phase || phase.command.control !== control || was === undefined) return;
  if (isHeld(phase) || number(phase.command[end]) !== was) return;
  phases[index] = set(phase, end, value);
}

export function withLimit(profile: LooseProfile, index: number, value: number) {
  const phase = profile.phases[index];
  if (!phase) return profile;
  const name = phase.command.control === "pressure" ? "flow_ml_s" : "pressure_bar";
  const limited = { ...phase, limit: { [name]: value } };
  return { ...profile, phases: replaced(profile.phases, index, limited) };
}

export function withOver(profile: LooseProfile, index: number, over: number) {
  const phase = profile.phases[index];
  if (!phase) return profile;
  return { ...profile, phases: replaced(profile.phases, index, lengthened(phase, over)) };
}

/** A move of another length; the end in seconds comes along where it was the move's own. */
function lengthened(phase: LoosePhase, over: number): LoosePhase {
  const exits = phase.exits.map((exit) =>
    phase.along === "time" && exit.when === "seconds" && exit.value === phase.over
      ? { ...exit, value: over }
      : exit,
  );
  return { ...phase, over, exits };
}

/** How each exit's value is stepped when its edge is moved, and the trace it is read from. */
const EDGE: Partial<Record<ExitWhen, { step: number; trace?: keyof Prediction["series"] }>> = {
  seconds: { step: 0.1 },
  pressure_above: { step: 0.1, trace: "pressure_bar" },
  pressure_below: { step: 0.1, trace: "pressure_bar" },
  flow_above: { step: 0.1, trace: "water_in_ml_s" },
  flow_below: { step: 0.1, trace: "water_in_ml_s" },
  water_ml: { step: 1, trace: "water_ml" },
  cup_g: { step: 0.5, trace: "cup_g" },
};

/** The exit that an edge moves: what ended the phase, or its seconds where that has no number. */
export function edgeExit(phase: LoosePhase, run: Run | undefined): LooseExit | undefined {
  const ended = phase.exits.find((exit) => exit.when === run?.ended_on && EDGE[exit.when]);
  return ended ?? phase.exits.find((exit) => exit.when === "seconds");
}

/** A phase whose end is moved by some seconds of the predicted shot. */
export function withEdge(
  profile: LooseProfile,
  index: number,
  prediction: Prediction,
  by_s: number,
  fineness: Fineness,
): LooseProfile {
  const phase = profile.phases[index];
  const run = prediction.phases[index];
  if (!phase || run?.start_s == null || run.end_s == null) return profile;
  const exit = edgeExit(phase, run);
  const lasts = run.end_s - run.start_s;
  if (!exit || exit.when !== run.ended_on)
    return withSeconds(profile, index, lasts + by_s, fineness);
  const { step, trace } = EDGE[exit.when] ?? { step: 0.1 };
  if (!trace) return withSeconds(profile, index, lasts + by_s, fineness);
  const value = traced(prediction, trace, run.end_s + by_s, run.end_s);
  const from = exit.when === "water_ml" ? traced(prediction, trace, run.start_s, run.end_s) : 0;
  const next = snapped(value - from, stepOf(step, fineness), step);
  return withExit(profile, index, { ...exit, value: next });
}

function withSeconds(profile: LooseProfile, index: number, lasts: number, fineness: Fineness) {
  const phase = profile.phases[index];
  if (!phase) return profile;
  const value = snapped(lasts, stepOf(0.1, fineness), 0.1, 300);
  const whole = phase.along === "time" && phase.over !== 0;
  const exit = phase.exits.find((one) => one.when === "seconds");
  if (whole && exit && exit.value === phase.over) return withOver(profile, index, value);
  return withExit(profile, index, { when: "seconds", value });
}

export function withExit(profile: LooseProfile, index: number, exit: LooseExit): LooseProfile {
  const phase = profile.phases[index];
  if (!phase) return profile;
  const known = phase.exits.some((one) => one.when === exit.when);
  const exits = known
    ? phase.exits.map((one) => (one.when === exit.when ? exit : one))
    : [...phase.exits, exit];
  return { ...profile, phases: replaced(profile.phases, index, { ...phase, exits }) };
}

/** A trace at a time; beyond `known` it goes on as steeply as it came there, never turning back. */
export function traced(
  prediction: Prediction,
  name: keyof Prediction["series"],
  t: number,
  known: number,
) {
  const { time_s } = prediction.series;
  const values = prediction.series[name] as number[];
  if (t <= known) return interpolated(time_s, values, Math.max(0, t));
  const [here, before] = [
    interpolated(time_s, values, known),
    interpolated(time_s, values, known - 0.6),
  ];
  return here + ((t - known) * (here - before)) / 0.6;
}

/** The stop moved by some seconds: in whatever ends the shot. */
export function withStop(
  profile: LooseProfile,
  prediction: Prediction,
  by_s: number,
  fineness: Fineness,
): LooseProfile {
  const at = prediction.shot_time_s.value ?? 0;
  const { stop } = profile;
  const read = (name: "cup_g" | "water_ml", step: number) =>
    snapped(traced(prediction, name, at + by_s, at), stepOf(step, fineness), 1);
  if (prediction.stopped_on === "water_ml")
    return { ...profile, stop: { ...stop, water_ml: read("water_ml", 1) } };
  if (prediction.stopped_on === "time_s")
    return { ...profile, stop: { ...stop, time_s: snapped(at + by_s, stepOf(0.5, fineness), 1) } };
  return { ...profile, stop: { ...stop, cup_g: read("cup_g", 0.5) } };
}

/** Two phases in place of one, cut where half of its predicted length is over. */
export function split(profile: LooseProfile, index: number, run: Run | undefined): LooseProfile {
  const phase = profile.phases[index];
  if (!phase) return profile;
  const exit = phase.exits.find((one) => one.when === "seconds");
  const lasts = run?.start_s != null && run.end_s != null ? run.end_s - run.start_s : undefined;
  const whole = lasts ?? number(exit?.value) ?? 10;
  const half = snapped(whole / 2, 0.1, 0.1);
  const first: LoosePhase = { ...phase, exits: [{ when: "seconds", value: half }] };
  const rest: LoosePhase = {
    ...phase,
    exits: phase.exits.map((one) =>
      one.when === "seconds" && typeof one.value === "number"
        ? { ...one, value: snapped(one.value - half, 0.1, 0.1) }
        : one,
    ),
  };
  const { from, to } = phase.command;
  const over = number(phase.over);
  if (over && phase.along === "time" && typeof from === "number" && typeof to === "number") {
    const share = Math.min(1, half / over);
    const middle = Number((from + (to - from) * share).toFixed(2));
    first.command = { ...phase.command, to: middle };
    first.over = Math.min(over, half);
    rest.command = { ...phase.command, from: middle };
    rest.over = snapped(over - half, 0.1);
  }
  return { ...profile, phases: profile.phases.toSpliced(index, 1, first, rest) };
}

/** One phase in place of this and the next: from where the first begins to where the next ends. */
export function merged(profile: LooseProfile, index: number, runs: Run[]): LooseProfile {
  const [first, next] = [profile.phases[index], profile.phases[index + 1]];
  if (!first || !next) return profile;
  const lasts = [index, index + 1].map((i, n) => {
    const run = runs[i];
    const { exits } = n ? next : first;
    const exit = exits.find((one) => one.when === "seconds");
    // What ends by its time alone lasts that long, whatever was predicted before it was so.
    if (exit && exits.length === 1) return number(exit.value) ?? 0;
    if (run?.start_s != null && run.end_s != null && n === 0) return run.end_s - run.start_s;
    return number(exit?.value) ?? 0;
  });
  const [one = 0, other = 0] = lasts;
  const exits = next.exits.map((exit) =>
    exit.when === "seconds" ? { ...exit, value: snapped(one + other, 0.1, 0.1) } : exit,
  );
  const same = first.command.control === next.command.control;
  const longer = one >= other ? first : next;
  const [start, end] = [number(first.command.from), number(next.command.to)];
  const joined: LoosePhase = { ...longer, exits };
  if (same && start !== undefined && end !== undefined) {
    const nextOver = next.along === "time" ? (number(next.over) ?? 0) : 0;
    const over = snapped(one + (nextOver || other), 0.1);
    joined.command = { ...first.command, from: start, to: end };
    joined.along = "time";
    joined.over = start === end ? 0 : over;
    joined.limit = next.limit;
  }
  return { ...profile, phases: profile.phases.toSpliced(index, 2, joined) };
}
