import { create } from "zustand";
import { createJSONStorage, persist } from "zustand/middleware";
import type { Bench, Check, PullRequest } from "../api/client";
import type { Typed } from "../ui/NumberField";

type Rehearsal = NonNullable<PullRequest["rehearse"]>;

/** What was made sure of for the pull that comes next; it lasts until that pull has begun. */
interface Preparing {
  /** What stood on the bench when it was confirmed. */
  of: string;
  confirmed: Check[];
  weighed_g: Typed;
  grind_setting: Typed;
  series_id: number | null;
  rehearse: Rehearsal | null;
  toggle: (check: Check, on: boolean) => void;
  confirm: (checks: Check[]) => void;
  set: (
    part: Partial<Pick<Preparing, "weighed_g" | "grind_setting" | "series_id" | "rehearse">>,
  ) => void;
  begun: () => void;
  /** Forget what was made sure of with something else on the bench. */
  standsOn: (bench: Bench) => void;
}

const NOTHING = { confirmed: [], weighed_g: null, grind_setting: null, rehearse: null };

export const usePreparing = create<Preparing>()(
  persist(
    (set) => ({
      ...NOTHING,
      series_id: null,
      of: "",
      toggle: (check, on) =>
        set((old) => ({
          confirmed: on
            ? [...new Set([...old.confirmed, check])]
            : old.confirmed.filter((one) => one !== check),
        })),
      confirm: (checks) =>
        set((old) => ({ confirmed: [...new Set([...old.confirmed, ...checks])] })),
      set: (part) => set(part),
      begun: () => set(NOTHING),
      standsOn: (bench) =>
        set((old) => {
          const of = [bench.coffee, bench.grinder, bench.machine, bench.basket]
            .map((one) => one?.id ?? 0)
            .join();
          if (old.of === of) return old;
          return old.of === "" ? { of } : { ...NOTHING, of };
        }),
    }),
    {
      name: "vapocline.preparing",
      storage: createJSONStorage(() => sessionStorage),
    },
  ),
);

/** Which fault a simulated machine can be given, in words. */
export const FAULTS = [
  { value: "none", words: "nothing goes wrong" },
  { value: "water_empty", words: "the tank runs empty" },
  { value: "pump_stall", words: "the pump stalls" },
  { value: "relief_opens", words: "the relief valve opens too soon" },
  { value: "channel", words: "a channel opens in the puck" },
  { value: "scale_off", words: "the scale switches off" },
  { value: "cup_missing", words: "the cup is taken away" },
  { value: "packets_dropped", words: "packets are lost" },
  { value: "packets_late", words: "packets come late" },
] as const;
