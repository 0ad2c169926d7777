import type { Machine, Prediction } from "../../api/client";
import type { Chart } from "../../charts/frame";
import { dialMore } from "../../profile/dial";
import {
  type End,
  edgeExit,
  type Fineness,
  levelStep,
  number,
  snapped,
  stepOf,
  traced,
  withEdge,
  withLevel,
  withLimit,
  withOver,
  withStop,
} from "../../profile/edits";
import { CONTROLS, type LoosePhase, type LooseProfile } from "../../profile/loose";
import { exitWords } from "../../profile/words";
import { grams } from "../../ui/units";

/** Something on the curve that can be taken by the hand or by keys. */
export interface Handle {
  id: string;
  phase: number;
  shape: "square" | "edge";
  trace: "pressure" | "flow";
  x: number;
  y: number;
  label: string;
  value: number;
  most: number;
  text: string;
  /** A line to a square that stands where the phase no longer comes to. */
  from?: [number, number];
  /** The profile once the hand has moved so far: px down the pane, seconds along the axis. */
  moved: (base: LooseProfile, dy: number, dt: number, fineness: Fineness) => LooseProfile;
  /** The profile one key press further: up or down, or along the axis. */
  nudged: (base: LooseProfile, up: number, along: number, fineness: Fineness) => LooseProfile;
}

interface Context {
  chart: Chart;
  profile: LooseProfile;
  prediction: Prediction;
  machine: Machine | undefined;
  /** The chart's pressure is the dial's: squares stand that much higher, and mean the same. */
  dial: boolean;
}

const JOINED_PX = 3;
const KEY_S = 0.5;

/** Every handle of a profile on its chart, in the order of the shot. */
export function handlesOf(context: Context): Handle[] {
  const { profile } = context;
  const found = profile.phases.flatMap((phase, index) => [
    ...levels(context, phase, index),
    ...limits(context, phase, index),
    ...edges(context, phase, index),
  ]);
  const stop = stopHandle(context);
  return stop ? [...found, stop] : found;
}

/** How a command's level stands in its pane; undefined for what has none. */
function paneOf({ chart, machine }: Context, phase: LoosePhase) {
  const { control } = phase.command;
  const most = machine?.levels[control] ?? 20;
  const unit = CONTROLS.find((one) => one.value === control)?.unit ?? "";
  if (control === "pressure")
    return { trace: "pressure" as const, y: chart.bar, per: 1, most, unit };
  if (control === "flow") return { trace: "flow" as const, y: chart.flow, per: 1, most, unit };
  const lever = machine?.control;
  if (control === "force" && lever?.kind === "hand-lever")
    return { trace: "pressure" as const, y: chart.bar, per: lever.bar_per_kg, most, unit };
  return undefined;
}

function levels(context: Context, phase: LoosePhase, index: number): Handle[] {
  const { chart, prediction, machine } = context;
  const pane = paneOf(context, phase);
  const run = prediction.phases[index];
  const [from, to] = [number(phase.command.from), number(phase.command.to)];
  if (!pane || run?.start_s == null || run.end_s == null) return [];
  if (from === undefined || to === undefined) return [];
  const { y, per, most, trace, unit } = pane;
  const step = levelStep(machine, phase.command.control);
  const square = (end: End, value: number, x: number): Handle => ({
    id: `${index}-${end}-${x === chart.x(run.start_s ?? 0) ? "start" : "end"}`,
    phase: index,
    shape: "square",
    trace,
    x,
    y: y(
      value * per +
        (context.dial && trace === "pressure" ? dialMore(prediction, chart.timeAt(x)) : 0),
    ),
    label: `${phase.name} ${end}`,
    value,
    most,
    text: `${value} ${unit}`,
    moved: (base, dy, dt, fineness) => {
      const by = (y.invert(dy) - y.invert(0)) / per;
      const level = snapped(value + by, stepOf(step, fineness), 0, most);
      const levelled = withLevel(base, index, end, level);
      return end === "to" ? stretched(levelled, context, index, dt, fineness) : levelled;
    },
    nudged: (base, up, along, fineness) => {
      const size = stepOf(step, fineness);
      const level = Math.min(most, Math.max(0, Number((value + up * size).toFixed(4))));
      const levelled = up ? withLevel(base, index, end, level) : base;
      return along && end === "to"
        ? stretched(levelled, context, index, along * stepOf(KEY_S, fineness), fineness)
        : levelled;
    },
  });
  const start = chart.x(run.start_s);
  if (phase.over === 0) {
    const squares = [square("level", to, chart.x(run.end_s))];
    return isJoined(context, index, y(to * per))
      ? squares
      : [square("level", to, start), ...squares];
  }
  const end = endOfMove(context, phase, index);
  const dotted: [number, number] | undefined = end.beyond
    ? [chart.x(run.end_s), y(end.reached * per)]
    : undefined;
  const last: Handle = { ...square("to", to, end.x), ...(dotted ? { from: dotted } : {}) };
  return isJoined(context, index, y(from * per)) ? [last] : [square("from", from, start), last];
}

/** Where the square of a move's end stands; beyond the phase where that leaves the move unfinished. */
function endOfMove({ chart, prediction }: Context, phase: LoosePhase, index: number) {
  const run = prediction.phases[index];
  const [start, end] = [run?.start_s ?? 0, run?.end_s ?? 0];
  const reached = lastCommanded(prediction, end);
  if (phase.along === "time") {
    const t = start + (number(phase.over) ?? 0);
    const beyond = t > end + 0.15;
    return { x: Math.min(chart.x(t), chart.right), beyond, reached };
  }
  const beyond = Math.abs(reached - (number(phase.command.to) ?? 0)) > 0.15;
  return { x: beyond ? Math.min(chart.right, chart.x(end) + 18) : chart.x(end), beyond, reached };
}

/** What was commanded last before a time. */
function lastCommanded({ series }: Prediction, t: number) {
  const i = series.time_s.findLastIndex((at, n) => at < t - 1e-6 && series.commanded[n] !== null);
  return series.commanded[i] ?? 0;
}

/** A move made longer or shorter by some seconds of the shot. */
function stretched(
  profile: LooseProfile,
  { prediction }: Context,
  index: number,
  dt: number,
  fineness: Fineness,
) {
  const phase = profile.phases[index];
  const over = number(phase?.over);
  const end = prediction.phases[index]?.end_s;
  if (!phase || !over || dt === 0 || end == null) return profile;
  if (phase.along === "time")
    return withOver(profile, index, snapped(over + dt, stepOf(0.1, fineness), 0.1, 300));
  const name = phase.along === "water" ? "water_ml" : "cup_g";
  const at = (t: number) => traced(prediction, name, t, end);
  const longer = over + at(end + dt) - at(end);
  return withOver(profile, index, snapped(longer, stepOf(1, fineness), 1, 300));
}

/** Whether the phase before ends where this one begins, so that one square serves both. */
function isJoined(context: Context, index: number, y: number) {
  const before = context.profile.phases[index - 1];
  const pane = before && paneOf(context, before);
  const ended = number(before?.command.to);
  if (!before || !pane || ended === undefined) return false;
  const here = context.profile.phases[index];
  return (
    before.command.control === here?.command.control &&
    Math.abs(pane.y(ended * pane.per) - y) < JOINED_PX
  );
}

function limits(
  { chart, prediction, machine }: Context,
  phase: LoosePhase,
  index: number,
): Handle[] {
  const run = prediction.phases[index];
  const bar = number(phase.limit.pressure_bar);
  const flow = number(phase.limit.flow_ml_s);
  const value = bar ?? flow;
  if (value === undefined || run?.start_s == null || run.end_s == null) return [];
  const pressure = bar !== undefined;
  const y = pressure ? chart.bar : chart.flow;
  if (y(value) < (pressure ? chart.upper.top : chart.lower.top)) return [];
  const step = levelStep(machine, pressure ? "pressure" : "flow");
  const most = machine?.levels[pressure ? "pressure" : "flow"] ?? 20;
  return [
    {
      id: `${index}-limit`,
      phase: index,
      shape: "square",
      trace: pressure ? "pressure" : "flow",
      x: chart.x((run.start_s + run.end_s) / 2),
      y: y(value),
      label: `${phase.name} limit`,
      value,
      most,
      text: `${value} ${pressure ? "bar" : "mL/s"}`,
      moved: (base, dy, _dt, fineness) => {
        const by = y.invert(dy) - y.invert(0);
        return withLimit(base, index, snapped(value + by, stepOf(step, fineness), step, most));
      },
      nudged: (base, up, _along, fineness) => {
        const by = up * stepOf(step, fineness);
        return withLimit(base, index, Number(Math.max(step, value + by).toFixed(4)));
      },
    },
  ];
}

function edges({ chart, prediction }: Context, phase: LoosePhase, index: number): Handle[] {
  const run = prediction.phases[index];
  const last = prediction.phases.findLastIndex((one) => one.start_s !== null);
  if (run?.start_s == null || run.end_s == null || index === last) return [];
  const exit = edgeExit(phase, run);
  const lasts = run.end_s - run.start_s;
  return [
    {
      id: `${index}-edge`,
      phase: index,
      shape: "edge",
      trace: "pressure",
      x: chart.x(run.end_s),
      y: 0,
      label: `${phase.name} end`,
      value: Number(lasts.toFixed(1)),
      most: 300,
      text: `after ${lasts.toFixed(1)} s${exit ? `, at ${exitWords(exit)}` : ""}`,
      moved: (base, _dy, dt, fineness) => withEdge(base, index, prediction, dt, fineness),
      nudged: (base, up, along, fineness) =>
        withEdge(base, index, prediction, (along || up) * stepOf(KEY_S, fineness), fineness),
    },
  ];
}

function stopHandle({ chart, profile, prediction }: Context): Handle | undefined {
  const at = prediction.shot_time_s.value;
  if (at === null || prediction.stopped_on === "plan_end") return undefined;
  return {
    id: "stop",
    phase: profile.phases.length,
    shape: "edge",
    trace: "flow",
    x: chart.x(at),
    y: 0,
    label: "Stop",
    value: Number(at.toFixed(1)),
    most: 300,
    text: `after ${at.toFixed(1)} s, ${grams(prediction.cup_at_stop_g.value ?? 0, 1)} in the cup`,
    moved: (base, _dy, dt, fineness) => withStop(base, prediction, dt, fineness),
    nudged: (base, up, along, fineness) =>
      withStop(base, prediction, (along || up) * stepOf(KEY_S, fineness), fineness),
  };
}
