import { bisectLeft, bisectRight, range } from "d3-array";
import { area, line } from "d3-shape";
import type { Chart } from "./frame";

/** Measured or predicted channels on one clock, as both predictions and shots bring them. */
export interface Curves {
  time_s: number[];
  /** Null while no device tells. */
  pressure_bar: (number | null)[];
  water_in_ml_s: (number | null)[];
  cup_out_ml_s: (number | null)[];
  cup_g: (number | null)[];
}

export type Channel = Exclude<keyof Curves, "time_s">;

/** The scale a channel is drawn on. */
export function scaleFor(chart: Chart, channel: Channel) {
  if (channel === "pressure_bar") return chart.bar;
  return channel === "cup_g" ? chart.grams : chart.flow;
}

/** Indices of the samples from one time to another, ends included. */
export function between(time_s: number[], from_s: number, to_s: number): number[] {
  return range(bisectLeft(time_s, from_s - 1e-6), bisectRight(time_s, to_s + 1e-6));
}

/** A channel as a path over the samples given; gaps stay gaps. */
export function tracePath(chart: Chart, curves: Curves, channel: Channel, samples: number[]) {
  const y = scaleFor(chart, channel);
  return (
    line<number>()
      .defined((i) => curves[channel][i] != null)
      .x((i) => chart.x(curves.time_s[i] ?? 0))
      .y((i) => y(curves[channel][i] ?? 0))(samples) ?? ""
  );
}

/** The area between two lists of values over the samples given. */
export function betweenPath(
  chart: Chart,
  time_s: number[],
  low: (i: number) => number,
  high: (i: number) => number,
  samples: number[],
) {
  return (
    area<number>()
      .x((i) => chart.x(time_s[i] ?? 0))
      .y0((i) => low(i))
      .y1((i) => high(i))(samples) ?? ""
  );
}

/** The value of a channel at a time, straight between samples; undefined beyond them. */
export function valueAt(
  time_s: number[],
  values: readonly (number | null)[],
  t: number,
): number | undefined {
  const after = bisectLeft(time_s, t);
  if (after >= time_s.length) return undefined;
  const [t1, v1] = [time_s[after] ?? 0, values[after] ?? 0];
  if (after === 0 || t1 === t) return v1;
  const [t0, v0] = [time_s[after - 1] ?? 0, values[after - 1] ?? 0];
  return v0 + ((v1 - v0) * (t - t0)) / (t1 - t0);
}

const LASTS_S = 0.5;

/** The largest level of a channel that lasts: a shorter spike would flatten all else on its axis. */
export function largestLasting(time_s: readonly number[], values: readonly (number | null)[]) {
  const known = values.map((value) => value ?? 0);
  const held = known.map((_, i) => {
    const until = bisectRight(time_s as number[], (time_s[i] ?? 0) + LASTS_S, i);
    return Math.min(...known.slice(i, until));
  });
  return largest(held);
}

/** The largest of a channel, 0 for none. */
export function largest(values: readonly (number | null)[]) {
  return values.reduce<number>((most, value) => (value !== null && value > most ? value : most), 0);
}
