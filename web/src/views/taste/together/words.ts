import type { SessionSetup, TastingSession } from "../../../api/client";
import { listed } from "../../../ui/format";

export type Kind = SessionSetup["kind"];

const NUMBERS = ["No", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight"];

export function numberWord(count: number) {
  return NUMBERS[count] ?? String(count);
}

export function cupsWord(count: number) {
  return `${numberWord(count)} ${count === 1 ? "cup" : "cups"}`;
}

/** How a kind of tasting stands in a sentence, and what it is for. */
export const KINDS: Record<Kind, { words: string; why: string }> = {
  describe: {
    words: "described",
    why: "Each cup is scored line by line: shows what differs, and for whom.",
  },
  pair: {
    words: "tasted in pairs",
    why: "Which of two cups is preferred, or has more of something. Needs no practice with scales.",
  },
  triangle: {
    words: "as an odd-one-out test",
    why: "Two cups are the same and one is different: can anybody tell at all?",
  },
  rank: {
    words: "ranked",
    why: "Three to six cups are put in order of preference; ties are allowed.",
  },
};

/** How a session is set up, in words. */
export function sessionWords(session: TastingSession) {
  const people = listed(session.seats.map((seat) => seat.name));
  const how = [
    session.blind ? "blind" : "not blind",
    KINDS[session.kind].words,
    session.served === "milk" ? "in milk" : "straight",
  ];
  return `${how.join(", ")} by ${people}`;
}

/** What the tasters should mind about caffeine and palate, each advice once. */
export function adviceFor(session: TastingSession) {
  return [...new Set(session.seats.flatMap((seat) => seat.caffeine.advice ?? []))];
}
