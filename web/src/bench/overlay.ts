import { create } from "zustand";

type Shown = "palette" | "keys" | "styles" | "versions" | "translate" | "slots" | null;

/** Which overlay is open over the view. */
export const useOverlay = create<{
  shown: Shown;
  open: (what: Shown) => void;
  close: () => void;
}>((set) => ({
  shown: null,
  open: (shown) => set({ shown }),
  close: () => set({ shown: null }),
}));
