import { create } from "zustand";

type Shown = "palette" | "keys" | "glossary" | "styles" | "versions" | "translate" | "slots" | null;

/** Which overlay is open over the view, and at what in it. */
export const useOverlay = create<{
  shown: Shown;
  at: string | undefined;
  open: (what: Shown, at?: string) => void;
  close: () => void;
}>((set) => ({
  shown: null,
  at: undefined,
  open: (shown, at) => set({ shown, at }),
  close: () => set({ shown: null, at: undefined }),
}));
