import { create } from "zustand";
import { persist } from "zustand/middleware";
import type { Machine, Prediction, Shot } from "../api/client";

/** Whether pressure is told as the machine's own dial reads it, where that is calibrated. */
export const useDialReading = create<{ on: boolean; setOn: (on: boolean) => void }>()(
  persist((set) => ({ on: false, setOn: (on) => set({ on }) }), { name: "vapocline.dial" }),
);

/** Whether a machine's dial was calibrated. */
export function isDialed(machine: Machine | undefined) {
  return machine !== undefined && (machine.dial_drop !== 0 || machine.dial_zero_bar !== 0);
}

export type Dial = NonNullable<Shot["dial"]>;

/** What the dial reads at a pressure and a flow; a pump that rests moves no needle below nought. */
export function onDial(dial: Dial, bar: number, flow_ml_s: number | null) {
  return Math.max(0, bar + dial.zero_bar + dial.drop * (flow_ml_s ?? 0) ** 2);
}

interface Pressed {
  pressure_bar: (number | null)[];
  water_in_ml_s: (number | null)[];
  commanded: (number | null)[];
}

/** Curves with their pressure, and what is commanded in bar, as the dial reads them. */
export function curvesOnDial<C extends Pressed>(
  curves: C,
  dial: Dial,
  inBar: (i: number) => boolean,
): C {
  const read = (values: (number | null)[], which: (i: number) => boolean) =>
    values.map((bar, i) =>
      bar === null || !which(i) ? bar : onDial(dial, bar, curves.water_in_ml_s[i] ?? 0),
    );
  return {
    ...curves,
    pressure_bar: read(curves.pressure_bar, () => true),
    commanded: read(curves.commanded, inBar),
  };
}

/** A prediction whose pressure is the dial's, with its range and commands moved alike. */
export function predictionOnDial(prediction: Prediction): Prediction {
  const { series } = prediction;
  const more = series.dial_bar.map((bar, i) => bar - (series.pressure_bar[i] ?? 0));
  const moved = (values: (number | null)[]) =>
    values.map((bar, i) => (bar === null ? null : Math.max(0, bar + (more[i] ?? 0))));
  return {
    ...prediction,
    series: {
      ...series,
      pressure_bar: series.dial_bar,
      pressure_bar_p10: moved(series.pressure_bar_p10),
      pressure_bar_p90: moved(series.pressure_bar_p90),
      commanded: series.commanded.map((bar, i) =>
        bar !== null && series.control[i] === "pressure" ? Math.max(0, bar + (more[i] ?? 0)) : bar,
      ),
    },
  };
}

/** By how much the dial reads more than the puck has, at a moment of a forecast. */
export function dialMore(prediction: Prediction, at_s: number) {
  const { series } = prediction;
  const after = series.time_s.findIndex((t) => t >= at_s);
  const at = after < 0 ? series.time_s.length - 1 : after;
  return (series.dial_bar[at] ?? 0) - (series.pressure_bar[at] ?? 0);
}
