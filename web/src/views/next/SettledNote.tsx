import type { Settled } from "../../api/client";
import { chanceWords, OUTCOMES } from "../../shots/outcomes";
import { LINES } from "./ChangeRow";

/** What came of the change that was taken after the shot before. */
export function SettledNote({ settled }: { settled: Settled }) {
  const { line, steps, outcome, words } = settled;
  const name = LINES.find((one) => one.line === line)?.name ?? line;
  return (
    <p
      className="mb-2 rounded-sm border border-rule bg-sheet px-3 py-1.5"
      data-part="settled"
      data-outcome={outcome}
    >
      You took <b>{words.toLowerCase()}</b> after the shot before; {OUTCOMES[outcome]}
      {steps !== null && name !== null && (
        <>
          : {name} moved by {Math.abs(steps).toFixed(1)} noticeable steps{" "}
          {steps > 0 ? "up" : "down"}
        </>
      )}
      {chanceWords(settled)}.
    </p>
  );
}
