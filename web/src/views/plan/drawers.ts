import { create } from "zustand";
import { persist } from "zustand/middleware";

/** What the drawer under the phases may show. The digits are the views'. */
export const DRAWERS = [
  { value: "edit", words: "Phase", key: "q" },
  { value: "simple", words: "Simple", key: "i" },
  { value: "what-if", words: "What if", key: "f" },
  { value: "suggest", words: "Suggest", key: "u" },
  { value: "goal", words: "Reach a goal", key: "o" },
] as const;

export type DrawerName = (typeof DRAWERS)[number]["value"];

/** Which drawer is open, kept for the next visit. */
export const useDrawer = create<{ shown: DrawerName; show: (shown: DrawerName) => void }>()(
  persist((set) => ({ shown: "edit", show: (shown) => set({ shown }) }), {
    name: "vapocline.drawer",
  }),
);
