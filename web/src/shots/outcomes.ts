import type { Settled } from "../api/client";

/** What came of a change that was taken, as a sentence goes on. */
export const OUTCOMES: Record<Settled["outcome"], string> = {
  "as expected": "it did what was expected",
  "against it": "it did the opposite of what was expected",
  "too small to tell": "one pull of each is too little to tell what it did",
  "not tasted alike": "no taster scored that in both cups",
  "not made": "but that is not what was changed, or not alone: it says nothing",
};

/** How probably it did what was expected, where that is not decided; empty where it is. */
export function chanceWords({ outcome, chance }: Settled) {
  if (outcome !== "too small to tell" || chance === null) return "";
  return `; as expected: ${Math.round(100 * chance)} %`;
}
