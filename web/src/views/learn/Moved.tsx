import { useState } from "react";
import type { LearntUnknown } from "../../api/client";
import { Panel } from "../../ui/Panel";
import { readScale, readUnit } from "../../ui/units";
import { useSize } from "../../ui/useSize";

const LEVELS: Record<LearntUnknown["level"], string> = {
  machine: "The machine",
  "coffee and grinder": "This coffee by this grinder",
  coffee: "The coffee",
  preparation: "The way of preparing",
};

/** What was assumed of each unknown, and what shots say, in words, numbers and bars. */
export function Moved({ unknowns }: { unknowns: LearntUnknown[] }) {
  const [all, setAll] = useState(false);
  const moved = unknowns.filter((one) => one.moved);
  const shown = all ? unknowns : moved;
  if (unknowns.length === 0) return null;
  return (
    <Panel name="What they say">
      <p className="text-quiet">
        Wide grey bars: what is assumed before any shot. Green bars: what these shots leave open. 8
        in 10 lie within a bar.
      </p>
      {moved.length === 0 && <p>Nothing moved far from what is assumed yet.</p>}
      {Object.entries(LEVELS).map(([level, words]) => {
        const here = shown.filter((one) => one.level === level);
        return (
          here.length > 0 && (
            <section key={level} aria-label={words}>
              <h3 className="text-small text-quiet font-normal border-b border-rule">{words}</h3>
              <ul>
                {here.map((one) => (
                  <Unknown key={one.name} unknown={one} />
                ))}
              </ul>
            </section>
          )
        );
      })}
      {moved.length < unknowns.length && (
        <button
          type="button"
          className="justify-self-start text-action underline underline-offset-2"
          onClick={() => setAll(!all)}
        >
          {all
            ? "Only what moved"
            : `All ${unknowns.length}, also those that no shot says anything of`}
        </button>
      )}
    </Panel>
  );
}

function Unknown({ unknown }: { unknown: LearntUnknown }) {
  const { words, unit, before, after } = unknown;
  const { shown } = readScale(unit);
  const read = ({ value, low, high }: LearntUnknown["after"]) => ({
    value: shown(value),
    low: shown(low),
    high: shown(high),
  });
  return (
    <li
      className="grid grid-cols-[230px_minmax(80px,_1fr)_250px] items-center gap-x-4 py-1 max-phone:grid-cols-[minmax(0,_1fr)]"
      data-unknown={unknown.name}
    >
      <span className="first-letter:uppercase">{words}</span>
      <Bars before={before} after={after} />
      <span className="tabular-nums">
        <b>
          {withSpread(read(after))}
          {unit && ` ${readUnit(unit)}`}
        </b>
        <span className="text-quiet">, was {withSpread(read(before))}</span>
      </span>
    </li>
  );
}

function withSpread({ value, low, high }: LearntUnknown["after"]) {
  const digits = digitsFor(high - low);
  return `${value.toFixed(digits)} ± ${((high - low) / 2).toFixed(digits)}`;
}

/** Enough digits for two of the spread, at most three. */
function digitsFor(spread: number) {
  if (spread >= 10) return 0;
  if (spread >= 1) return 1;
  return spread >= 0.1 ? 2 : 3;
}

function Bars({
  before,
  after,
}: {
  before: LearntUnknown["before"];
  after: LearntUnknown["after"];
}) {
  const [ref, size] = useSize<HTMLSpanElement>();
  const low = Math.min(before.low, after.low);
  const high = Math.max(before.high, after.high);
  const room = (high - low) * 0.06 || 1;
  const x = (value: number) => (size.width * (value - low + room)) / (high - low + 2 * room);
  return (
    <span ref={ref} className="block h-5 min-w-0">
      <svg width="100%" height="20" aria-hidden="true" className="block">
        <Bar range={before} x={x} height={16} className="fill-edge opacity-25" />
        <line x1={x(before.value)} x2={x(before.value)} y1="2" y2="18" stroke="var(--edge)" />
        <Bar range={after} x={x} height={8} className="fill-action" />
        <line
          x1={x(after.value)}
          x2={x(after.value)}
          y1="2"
          y2="18"
          stroke="var(--ink)"
          strokeWidth="2"
        />
      </svg>
    </span>
  );
}

function Bar(props: {
  range: LearntUnknown["after"];
  x: (value: number) => number;
  height: number;
  className: string;
}) {
  const { range, x, height, className } = props;
  const width = Math.max(3, x(range.high) - x(range.low));
  return (
    <rect
      x={x(range.low)}
      width={width}
      y={10 - height / 2}
      height={height}
      rx="2"
      className={className}
    />
  );
}
