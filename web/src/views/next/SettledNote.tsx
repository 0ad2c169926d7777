import type { Next } from "../../api/client";
import { LINES } from "./ChangeRow";

const WORDS: Record<NonNullable<Next["settled"]>["outcome"], string> = {
  "as expected": "it did what was expected",
  "against it": "it did the opposite of what was expected",
  "too small to tell": "what it did is too small to tell",
  "not tasted alike": "no taster scored that in both cups",
  "not made": "but that is not what was changed, or not alone: it says nothing",
};

/** What came of the change that was taken after the shot before. */
export function SettledNote({ settled }: { settled: NonNullable<Next["settled"]> }) {
  const { line, steps, outcome, words } = settled;
  const name = LINES.find((one) => one.line === line)?.name ?? line;
  return (
    <p
      className="mb-2 rounded-sm border border-rule bg-sheet px-3 py-1.5"
      data-part="settled"
      data-outcome={outcome}
    >
      You took <b>{words.toLowerCase()}</b> after the shot before; {WORDS[outcome]}
      {steps !== null && name !== null && (
        <>
          : {name} moved by {Math.abs(steps).toFixed(1)} noticeable steps{" "}
          {steps > 0 ? "up" : "down"}
        </>
      )}
      .
    </p>
  );
}
