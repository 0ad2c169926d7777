import { create } from "zustand";

/** Whether a hand holds something on the curve: scales keep still meanwhile. */
export const useDragging = create<{ held: boolean; begin: () => void; end: () => void }>()(
  (set) => ({
    held: false,
    begin: () => set({ held: true }),
    end: () => set({ held: false }),
  }),
);
