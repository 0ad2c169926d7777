import { create } from "zustand";
import { persist } from "zustand/middleware";
import type { Answers } from "../api/client";

/** The five parts of a bench, in the order they are asked. */
export const PARTS = ["machine", "grinder", "coffee", "basket", "drink"] as const;
export type Part = (typeof PARTS)[number];

/** One answer as it stands on the page: the server says what is wrong with it. */
export type LooseAnswer = Record<string, unknown>;
export type LooseAnswers = Partial<Record<Part, LooseAnswer | null>>;

interface Beginning {
  answers: LooseAnswers;
  /** Which part is open; past the last one the styles to begin with. */
  step: number;
  /** For a bench besides the one there is. */
  another: boolean;
  say: (part: Part, answer: LooseAnswer | null) => void;
  go: (step: number) => void;
  begin: (another: boolean) => void;
  reset: () => void;
}

const NOTHING = { answers: {} as LooseAnswers, step: 0, another: false };

/**
 * What was said of a bench that is being set up. It stays in this browser until it is done: closing
 * the tab, or a server that is away, loses no answer.
 */
export const useBeginning = create<Beginning>()(
  persist(
    (set) => ({
      ...NOTHING,
      say: (part, answer) => set((now) => ({ answers: { ...now.answers, [part]: answer } })),
      go: (step) => set({ step: Math.min(Math.max(step, 0), PARTS.length) }),
      begin: (another) => set((now) => (now.another === another ? now : { ...NOTHING, another })),
      reset: () => set(NOTHING),
    }),
    { name: "vapocline.beginning" },
  ),
);

/** What a part usually is: shown when it is opened, and taken as it stands by going on. */
export const USUAL: Record<Part, LooseAnswer> = {
  machine: { hand: "both", feed: "tank", wired: false },
  grinder: { bigger_is: "coarser", lowest: 0, highest: 40, espresso: 12 },
  coffee: { roast: "medium" },
  basket: { diameter_mm: 58.5, dose_g: 18, weighed: true },
  drink: { ratio: 2 },
};

/** The answers up to a part and with it, as the server takes them; the open one as it stands. */
export function answersAt(answers: LooseAnswers, step: number): Answers {
  const said: LooseAnswers = { ...answers };
  const open = PARTS[step];
  if (open && said[open] === undefined) said[open] = USUAL[open];
  return said as Answers;
}

/** The same without the part that is open. */
export function answersBefore(answers: LooseAnswers, step: number): Answers {
  const open = PARTS[step];
  return (open ? { ...answers, [open]: null } : answers) as Answers;
}
