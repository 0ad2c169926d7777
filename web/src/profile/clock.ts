import { create } from "zustand";
import { persist } from "zustand/middleware";
import type { Prediction } from "../api/client";

/** From when a shot's time is counted: three habits, each with its own figure. */
export const CLOCKS = [
  { value: "pump", words: "pump on", figure: "shot_time_s" },
  { value: "drip", words: "first drip", figure: "shot_time_from_first_drip_s" },
  { value: "full", words: "full pressure", figure: "shot_time_from_full_pressure_s" },
] as const satisfies readonly { value: string; words: string; figure: keyof Prediction }[];

export type Clock = (typeof CLOCKS)[number]["value"];

/** The clock in use, kept for the next visit. */
export const useClock = create<{ clock: Clock; setClock: (clock: Clock) => void }>()(
  persist((set) => ({ clock: "pump", setClock: (clock) => set({ clock }) }), {
    name: "vapocline.clock",
  }),
);

/** The shot time on a clock. */
export function shotTime(prediction: Prediction, clock: Clock) {
  const { figure } = CLOCKS.find((one) => one.value === clock) ?? CLOCKS[0];
  return prediction[figure];
}
