import type { SummedChange } from "../../api/client";
import { OddsBar } from "../../ui/OddsBar";
import { cn } from "../../ui/styles";

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
                {one.more !== null && one.alike !== null && one.less !== null && (
                  <OddsBar
                    chances={{ more: one.more, alike: one.alike, less: one.less }}
                    width={96}
                  />
                )}
              </span>
              <span className="text-quiet">
                <span
                  className={cn(
                    one.verdict === "helps" && "text-action",
                    one.verdict === "hurts" && "text-warn",
                  )}
                >
                  {one.said}
                </span>
                : {pairsSaid(one)}
              </span>
            </li>
          ))}
        </ul>
      )}
      {worked.some((one) => one.more !== null) && (
        <p className="pt-1 text-small text-quiet">
          Bars: how probably it is liked less (left) and more (right); open between them: no
          difference. What helps or hurts here is false once in twenty.
        </p>
      )}
    </section>
  );
}

const times = (count: number) => (count === 0 ? "never" : count === 1 ? "once" : `${count} times`);

function pairsSaid(one: SummedChange) {
  const lines = Object.entries(one.lines as Record<string, number>).map(
    ([line, points]) => `${points > 0 ? "more" : "less"} ${line}`,
  );
  const kind = one.blind ? " tasted blind" : "";
  const pairs = `${one.pulls === 1 ? "1 pair" : `${one.pulls} pairs`} of pulls${kind}`;
  const liked = `liked more ${times(one.pulls_for)}, less ${times(one.pulls_against)}`;
  return [one.points === null ? pairs : `${pairs}, ${liked}${pointsSaid(one)}`, ...lines].join(
    "; ",
  );
}

function pointsSaid({ points, low, high }: SummedChange) {
  if (points === null) return "";
  const signed = (value: number) => `${value < 0 ? "−" : "+"}${Math.abs(value).toFixed(1)}`;
  const range = low === null || high === null ? "" : ` (${signed(low)} to ${signed(high)})`;
  return `, ${signed(points)} points${range}`;
}
