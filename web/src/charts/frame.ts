import { type ScaleLinear, scaleLinear } from "d3-scale";
import { interpolated, invertedAt } from "./interpolate";

/**
 * What the axis counts: seconds, from a moment that is called zero, the water pumped by then, or
 * what was in the cup.
 * Everything drawn is still placed by its time; the axis says where a time stands.
 */
export type Axis =
  | { by: "seconds"; zero_s: number }
  | {
      /** The water pumped, or what is in the cup. */
      by: "water" | "cup";
      time_s: readonly number[];
      amount: readonly number[];
    };

export const PUMP_ON: Axis = { by: "seconds", zero_s: 0 };

/** Where the parts of a shot's chart stand, px: two panes on one axis, a lane between them. */
export interface Chart {
  width: number;
  height: number;
  left: number;
  right: number;
  upper: { top: number; bottom: number };
  lower: { top: number; bottom: number };
  lane: { top: number; bottom: number };
  /** A third, shorter pane under them, where there is one. */
  third?: { top: number; bottom: number };
  /** Where the axis stands. */
  base: number;
  axis: Axis;
  /** What the axis counts, in its own unit. */
  along: ScaleLinear<number, number>;
  /** Where a time, s from pump on, stands. */
  x: (t: number) => number;
  /** The time at a place on the axis. */
  timeAt: (px: number) => number;
  bar: ScaleLinear<number, number>;
  flow: ScaleLinear<number, number>;
  grams: ScaleLinear<number, number>;
}

/** What a chart must hold: the longest time and the largest values on it. */
export interface Extent {
  seconds: number;
  bar: number;
  flow: number;
  grams: number;
  /** Of an axis that counts water or the cup. */
  amount?: number;
}

const TOP = 34;
const LANE = 30;
const BOTTOM = 30;
const UPPER_SHARE = 216 / 406; // of the height left for the two panes
const THIRD_SHARE = 0.15;
const THIRD_GAP = 28;
const LEFT = 46;
const RIGHT = 46;

/** Scales and places for a chart of this size. */
export function chartOf(
  width: number,
  height: number,
  extent: Extent,
  axis = PUMP_ON,
  third = false,
): Chart {
  const narrow = width < 480;
  const left = narrow ? 34 : LEFT;
  const right = width - RIGHT;
  const last = third ? Math.round(height * THIRD_SHARE) : 0;
  const panes = Math.max(160, height - TOP - LANE - BOTTOM - (third ? last + THIRD_GAP : 0));
  const upper = { top: TOP, bottom: TOP + panes * UPPER_SHARE };
  const lower = { top: upper.bottom + LANE, bottom: TOP + panes + LANE };
  const base = third ? lower.bottom + THIRD_GAP + last : lower.bottom;
  // The weight's ticks stand on the flow's grid lines, so that one grid serves both.
  // A little more than the top tick fits into the head room above it.
  const flowTop = niceTop(extent.flow * 0.94, 4);
  const gramsTop = niceTop(extent.grams * 0.94, 4);
  return {
    width,
    height,
    left,
    right,
    upper,
    lower,
    lane: { top: upper.bottom, bottom: lower.top },
    ...(third ? { third: { top: lower.bottom + THIRD_GAP, bottom: base } } : {}),
    base,
    ...placing(axis, extent, left, right),
    bar: scaleLinear([0, niceTop(extent.bar, 5)], [upper.bottom, upper.top]),
    flow: scaleLinear([0, flowTop], [lower.bottom, lower.top + 12]),
    grams: scaleLinear([0, gramsTop], [lower.bottom, lower.top + 12]),
  };
}

function placing(axis: Axis, extent: Extent, left: number, right: number) {
  if (axis.by === "seconds") {
    const along = scaleLinear([0, extent.seconds], [left, right]);
    return { axis, along, x: (t: number) => along(t), timeAt: (px: number) => along.invert(px) };
  }
  const along = scaleLinear([0, extent.amount ?? 1], [left, right]);
  const { time_s, amount } = axis;
  return {
    axis,
    along,
    x: (t: number) => along(interpolated(time_s, amount, t)),
    timeAt: (px: number) => invertedAt(time_s, amount, along.invert(px)),
  };
}

/** The top of a scale that ends on a round step at or above the largest value. */
export function niceTop(largest: number, steps: number) {
  const rough = Math.max(largest, 1e-6) / steps;
  const size = 10 ** Math.floor(Math.log10(rough));
  const step = [1, 2, 2.5, 5, 10].map((m) => m * size).find((s) => s >= rough) ?? 10 * size;
  return step * steps;
}

/** The ticks of a scale of `niceTop`. */
export function niceTicks(scale: ScaleLinear<number, number>, steps: number) {
  const top = scale.domain()[1] ?? 0;
  return Array.from({ length: steps + 1 }, (_, i) => (top / steps) * i);
}

/** Between the marks of the axis, by how much room there is; `unit` is how much one of what is read holds. */
export function axisStep(chart: Chart, unit: number) {
  const roomy = (chart.right - chart.left) / 64;
  const length = chart.along.domain()[1] ?? 1;
  const steps = unit === 1 ? [1, 2, 5, 10, 15, 20, 30, 60, 120] : [0.1, 0.2, 0.5, 1, 2, 5];
  return unit * (steps.find((step) => length / (step * unit) <= roomy) ?? (unit === 1 ? 300 : 10));
}
