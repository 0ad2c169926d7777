import { create } from "zustand";
import { persist } from "zustand/middleware";

/** What the drawer under the phases may show. */
export const DRAWERS = [
  { value: "edit", words: "Phase", key: "1" },
  { value: "simple", words: "Simple", key: "2" },
  { value: "what-if", words: "What if", key: "3" },
  { value: "suggest", words: "Suggest", key: "4" },
  { value: "goal", words: "Reach a goal", key: "5" },
] as const;

export type DrawerName = (typeof DRAWERS)[number]["value"];

/** Which drawer is open, kept for the next visit. */
export const useDrawer = create<{ shown: DrawerName; show: (shown: DrawerName) => void }>()(
  persist((set) => ({ shown: "edit", show: (shown) => set({ shown }) }), {
    name: "vapocline.drawer",
  }),
);
