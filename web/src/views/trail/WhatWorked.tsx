import type { SummedChange } from "../../api/client";
import { cn } from "../../ui/styles";

const WIDTH = 96;
const MOST = 3;

/** Changes that were made alone on this coffee, and how the cups after them were liked. */
export function WhatWorked({ worked }: { worked: SummedChange[] }) {
  return (
    <section aria-label="What worked here" className="border-t border-rule pt-2">
      <h2>What worked here</h2>
      {worked.length === 0 ? (
        <p className="text-quiet">
          Nothing yet: it takes two tasted shots that differ in one thing.
        </p>
      ) : (
        <ul className="grid gap-1.5">
          {worked.map((one) => (
            <li key={one.move} data-move={one.move} data-verdict={one.verdict}>
              <span className="flex items-center justify-between gap-2">
                <b>{one.words}</b>
                <Interval worked={one} />
              </span>
              <span className="text-quiet">
                <span
                  className={cn(
                    one.verdict === "helps" && "text-action",
                    one.verdict === "hurts" && "text-warn",
                  )}
                >
                  {one.verdict}
                </span>
                : {said(one)}
              </span>
            </li>
          ))}
        </ul>
      )}
      {worked.some((one) => one.steps !== null) && (
        <p className="pt-1 text-small text-quiet">
          Bars: liking in noticeable steps, less to more; nine times in ten it lies within.
        </p>
      )}
    </section>
  );
}

const times = (count: number) => (count === 0 ? "never" : count === 1 ? "once" : `${count} times`);

function said(one: SummedChange) {
  const lines = Object.entries(one.lines as Record<string, number>).map(
    ([line, steps]) => `${steps > 0 ? "more" : "less"} ${line}`,
  );
  const pairs = one.cups === 1 ? "1 pair of cups" : `${one.cups} pairs of cups`;
  const cups =
    one.steps === null
      ? `${pairs}, liking not given`
      : `${pairs}, liked more ${times(one.cups_for)}, less ${times(one.cups_against)}`;
  return [cups, ...lines].join("; ");
}

function Interval({ worked }: { worked: SummedChange }) {
  const { steps, low, high } = worked;
  if (steps === null || low === null || high === null) return null;
  const x = (value: number) =>
    WIDTH / 2 + (WIDTH / 2) * (Math.min(MOST, Math.max(-MOST, value)) / MOST);
  return (
    <svg
      width={WIDTH}
      height="14"
      role="img"
      aria-label={`liking ${steps.toFixed(1)} noticeable steps, from ${low.toFixed(1)} to ${high.toFixed(1)}`}
    >
      <line x1={x(0)} x2={x(0)} y2="14" stroke="var(--edge)" />
      <line x1={x(low)} x2={x(high)} y1="7" y2="7" stroke="var(--ink)" />
      <circle cx={x(steps)} cy="7" r="3.5" fill={steps < 0 ? "var(--warn)" : "var(--action)"} />
    </svg>
  );
}
