import { create } from "zustand";
import { persist } from "zustand/middleware";
import type { Clock, Prediction } from "../api/client";
import type { Axis } from "../charts/frame";
import { readUnit } from "../ui/units";

/** From when a shot's time is counted: three habits, each with its own figure. */
export const CLOCKS = [
  { value: "pump", words: "pump on", figure: "shot_time_s" },
  { value: "drip", words: "first drip", figure: "shot_time_from_first_drip_s" },
  { value: "full", words: "full pressure", figure: "shot_time_from_full_pressure_s" },
] as const satisfies readonly { value: Clock; words: string; figure: keyof Prediction }[];

/** The clock in use, kept for the next visit. */
export const useClock = create<{ clock: Clock; setClock: (clock: Clock) => void }>()(
  persist((set) => ({ clock: "pump", setClock: (clock) => set({ clock }) }), {
    name: "vapocline.clock",
  }),
);

/** From when a clock counts, s from pump on; 0 where its moment never comes. */
export function clockZero(prediction: Prediction | undefined, clock: Clock) {
  if (!prediction || clock === "pump") return 0;
  return (clock === "drip" ? prediction.first_drip_s : prediction.full_pressure_s).value ?? 0;
}

export type AlongAxis = "seconds" | "water";
export const alongAxes = (): readonly { value: AlongAxis; words: string }[] => [
  { value: "seconds", words: "Seconds" },
  { value: "water", words: `${readUnit("mL")} pumped` },
];

/** What the charts of a plan count along, kept for the next visit. */
export const useAlongAxis = create<{ along: AlongAxis; setAlong: (along: AlongAxis) => void }>()(
  persist((set) => ({ along: "seconds", setAlong: (along) => set({ along }) }), {
    name: "vapocline.axis",
  }),
);

/** The axis of a chart of this prediction. */
export function axisOf(prediction: Prediction | undefined, along: AlongAxis, clock: Clock): Axis {
  if (along === "water" && prediction) {
    const { time_s, water_ml } = prediction.series;
    return { by: "water", time_s, amount: water_ml };
  }
  return { by: "seconds", zero_s: clockZero(prediction, clock) };
}

/** The shot time on a clock. */
export function shotTime(prediction: Prediction, clock: Clock) {
  const { figure } = CLOCKS.find((one) => one.value === clock) ?? CLOCKS[0];
  return prediction[figure];
}
