import { create } from "zustand";

type Shown = "palette" | "keys" | "glossary" | "styles" | "versions" | "translate" | "slots" | null;

/** Which overlay is open over the view, and at what in it. */
export const useOverlay = create<{
  shown: Shown;
  at: string | undefined;
  /** The path of the view it was opened over. */
  over: string;
  open: (what: Shown, at?: string) => void;
  close: () => void;
}>((set) => ({
  shown: null,
  at: undefined,
  over: "",
  open: (shown, at) => set({ shown, at, over: window.location.pathname }),
  close: () => set({ shown: null, at: undefined }),
}));
