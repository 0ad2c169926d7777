import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { create } from "zustand";
import type { Three } from "./queries";
import { useNews } from "./useNews";

const KEYS = [["bench"], ["taught"], ["forecast record"]];

interface Message {
  learning: (Three & { share: number | null }) | null;
}

interface Learning {
  /** How far learning has come, from 0 to 1, by what it is of. */
  shares: Record<string, number>;
  heard: (message: Message) => void;
}

export const nameOf = (three: Three) =>
  `${three.coffee_id} ${three.grinder_id} ${three.machine_id}`;

/** What is being learnt now, in this process or another. */
export const useLearning = create<Learning>((set) => ({
  shares: {},
  heard: ({ learning }) =>
    set((old) => {
      if (learning === null) return { shares: {} };
      const { [nameOf(learning)]: _was, ...others } = old.shares;
      const { share } = learning;
      return { shares: share === null ? others : { ...others, [nameOf(learning)]: share } };
    }),
}));

/** Reads again what forecasts take when learning begins, and when something was learnt. */
export function useLearningNews() {
  const queryClient = useQueryClient();
  const opened = useRef(false);
  useNews("/api/learn/live", (news) => {
    const message = news as Message;
    useLearning.getState().heard(message);
    const share = message.learning?.share ?? 0;
    // What was read before the first connection is as new as that.
    if (opened.current && share === 0) readAgain(queryClient);
    opened.current = true;
  });
}

function readAgain(queryClient: QueryClient) {
  for (const queryKey of KEYS) queryClient.invalidateQueries({ queryKey });
}
