import { type ScaleLinear, scaleLinear } from "d3-scale";

/** Where the parts of a shot's chart stand, px: two panes on one clock, a lane between them. */
export interface Chart {
  width: number;
  height: number;
  left: number;
  right: number;
  upper: { top: number; bottom: number };
  lower: { top: number; bottom: number };
  lane: { top: number; bottom: number };
  x: ScaleLinear<number, number>;
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
}

const TOP = 34;
const LANE = 30;
const BOTTOM = 30;
const UPPER_SHARE = 216 / 406; // of the height left for the two panes
const LEFT = 46;
const RIGHT = 46;

/** Scales and places for a chart of this size. */
export function chartOf(width: number, height: number, extent: Extent): Chart {
  const narrow = width < 480;
  const left = narrow ? 34 : LEFT;
  const right = width - RIGHT;
  const panes = Math.max(160, height - TOP - LANE - BOTTOM);
  const upper = { top: TOP, bottom: TOP + panes * UPPER_SHARE };
  const lower = { top: upper.bottom + LANE, bottom: height - BOTTOM };
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
    x: scaleLinear([0, extent.seconds], [left, right]),
    bar: scaleLinear([0, niceTop(extent.bar, 5)], [upper.bottom, upper.top]),
    flow: scaleLinear([0, flowTop], [lower.bottom, lower.top + 12]),
    grams: scaleLinear([0, gramsTop], [lower.bottom, lower.top + 12]),
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

/** Seconds between the marks of the time axis, by how much room there is. */
export function secondsStep(chart: Chart) {
  const roomy = (chart.right - chart.left) / 64;
  const seconds = chart.x.domain()[1] ?? 1;
  return [1, 2, 5, 10, 15, 20, 30, 60, 120].find((step) => seconds / step <= roomy) ?? 300;
}
