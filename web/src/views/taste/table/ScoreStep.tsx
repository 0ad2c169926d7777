import { useEffect } from "react";
import type { Attribute, Seat } from "../../../api/client";
import { cn } from "../../../ui/styles";
import { pointsOf, type Step } from "./steps";
import type { SayAnything } from "./useSeat";

const POINTS = [0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10];

/** One scale, set by a tap or a digit, which leads on to the next. */
export function ScoreStep(props: {
  step: Extract<Step, { is: "score" }>;
  seat: Seat;
  attribute: Attribute | undefined;
  /** Whether this cup was stirred; it holds for what is scored from then on. */
  stirred: boolean;
  setStirred: (stirred: boolean) => void;
  say: SayAnything;
  next: () => void;
}) {
  const { step, seat, attribute, stirred, setStirred, say, next } = props;
  const points = pointsOf(seat, step);
  const give = (value: number | null) => {
    const said = {
      cup: step.cup.number,
      warmth: step.warmth,
      line: step.line,
      points: value,
      stirred,
    };
    say({ kind: "score", at: Date.now(), said });
  };
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      if ((event.target as Element | null)?.closest("input:not([type=checkbox]), textarea")) return;
      const digit = /^\d$/.test(event.key) ? Number(event.key) : { End: 10 }[event.key];
      if (digit !== undefined) {
        give(digit);
        next();
      } else if (event.key === "Backspace" || event.key === "Delete") give(null);
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  });
  return (
    <section aria-label={attribute?.name ?? step.line} className="mt-4">
      <h1 className="text-center">{attribute?.name ?? step.line}</h1>
      <div className="mt-3 grid grid-cols-6 gap-1.5">
        {POINTS.map((value) => (
          <button
            key={value}
            type="button"
            aria-pressed={value === points}
            onClick={() => {
              give(value);
              next();
            }}
            className={cn(
              "h-14 rounded-sm border border-edge bg-sheet font-mono text-[20px] font-medium hover:bg-tint",
              value === points && "border-action bg-action text-on-action hover:bg-action",
            )}
          >
            {value}
          </button>
        ))}
      </div>
      <p className="mt-2 flex justify-between text-quiet">
        <span>0 {attribute?.low}</span>
        <span>10 {attribute?.high}</span>
      </p>
      <label className="mt-3 flex items-center gap-2">
        <input
          type="checkbox"
          checked={stirred}
          onChange={(event) => setStirred(event.target.checked)}
        />
        This cup was stirred
      </label>
    </section>
  );
}
