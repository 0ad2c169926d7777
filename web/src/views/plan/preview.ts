import { create } from "zustand";
import type { Prediction } from "../../api/client";

/** A suggestion under view: drawn behind the curves until it is taken or left. */
export interface Preview {
  profileId: number;
  prediction: Prediction;
  name: string;
}

export const usePreview = create<{
  shown: Preview | undefined;
  show: (shown: Preview | undefined) => void;
}>()((set) => ({ shown: undefined, show: (shown) => set({ shown }) }));
