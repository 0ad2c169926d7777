import { useQuery } from "@tanstack/react-query";
import { scaleLinear } from "d3-scale";
import type { ReactNode } from "react";
import type { Answers, BeginForecast, Narrowing, Prediction } from "../../api/client";
import { narrowingQuery } from "../../api/queries";
import { useResting } from "../../profile/useForecast";
import { FigureName } from "../../ui/FigureName";
import { styles } from "../../ui/styles";

type Figure = Prediction["shot_time_s"];

const ROWS = [
  { name: "Shot time", of: (p: Prediction) => p.shot_time_s, digits: 0, unit: "s" },
  { name: "First drip", of: (p: Prediction) => p.first_drip_s, digits: 0, unit: "s" },
  { name: "Strength (TDS)", of: (p: Prediction) => p.tds_pct, digits: 1, unit: "%" },
  { name: "Extraction (EY)", of: (p: Prediction) => p.extraction_yield_pct, digits: 1, unit: "%" },
] as const;

/** What can be said already, what would narrow it most, and the way on. */
export function BeginColumn(props: {
  now: BeginForecast | undefined;
  before: BeginForecast | undefined;
  answers: Answers;
  children: ReactNode;
}) {
  const { now, before, answers, children } = props;
  return (
    <aside className={styles.forecastColumn} aria-label="What can be said already">
      <h2>What can be said already</h2>
      <p className="text-small text-quiet">
        8 in 10 simulated shots fall in the bars{before && "; dashed: before this answer"}.
      </p>
      <ul>
        {now &&
          ROWS.map((row) => (
            <Row
              key={row.name}
              name={row.name}
              figure={row.of(now.prediction)}
              before={before && row.of(before.prediction)}
              digits={row.digits}
              unit={row.unit}
            />
          ))}
      </ul>
      <WhatNarrows answers={answers} />
      {children}
    </aside>
  );
}

const BAR = 94;

function Row(props: {
  name: string;
  figure: Figure;
  before: Figure | undefined;
  digits: number;
  unit: string;
}) {
  const { name, figure, before, digits, unit } = props;
  const { value, p10, p90 } = figure;
  if (value === null || p10 === null || p90 === null) return null;
  const low = Math.min(p10, before?.p10 ?? p10);
  const high = Math.max(p90, before?.p90 ?? p90);
  const margin = Math.max((high - low) * 0.2, 0.1);
  const x = scaleLinear([low - margin, high + margin], [0, BAR]).clamp(true);
  return (
    <li
      className="grid grid-cols-[102px_78px_94px] items-start gap-x-0.5 border-b border-b-rule pt-1.25 pb-1.5 max-phone:grid-cols-[minmax(102px,_1fr)_90px_94px]"
      data-figure={name}
    >
      <span className="leading-[22px]">
        <FigureName name={name} />
      </span>
      <span className="text-right">
        <b className={styles.fig}>{value.toFixed(digits)}</b>
        <span className="inline-block w-[29px] pl-1 text-left text-small text-quiet">{unit}</span>
      </span>
      <span>
        <svg width={BAR} height="20" className="block overflow-visible" aria-hidden="true">
          <path d={`M0 12.500H${BAR}`} className="stroke-rule" />
          {before?.p10 != null && before.p90 != null && (
            <rect
              x={x(before.p10)}
              y="8"
              width={Math.max(0, x(before.p90) - x(before.p10))}
              height="9"
              rx="1"
              className="fill-none stroke-edge [stroke-dasharray:2_2]"
            />
          )}
          <rect
            x={x(p10)}
            y="8"
            width={Math.max(0, x(p90) - x(p10))}
            height="9"
            rx="1"
            className="fill-action opacity-30"
          />
          <circle cx={x(value)} cy="12.5" r="3.5" className="fill-ink stroke-paper stroke-[1.5]" />
        </svg>
        <span className="block text-small leading-4 text-quiet tabular-nums">
          {p10.toFixed(digits)} to {p90.toFixed(digits)}
        </span>
      </span>
    </li>
  );
}

const BY: Record<Narrowing["by"], string> = {
  shots: "Three shots of this coffee",
  dial: "The grinder's dial measured at two sizes",
  machine: "Describing the machine",
  grinder: "Describing the grinder's dial",
  coffee: "Describing the coffee",
  basket: "Giving the basket and the dose",
  drink: "Giving the drink",
};
const SHOWN = 3;

function WhatNarrows({ answers }: { answers: Answers }) {
  const found = useQuery(narrowingQuery(useResting(answers))).data;
  const [first, ...others] = found?.slice(0, SHOWN) ?? [];
  if (!first) return null;
  return (
    <section className="pt-3">
      <h2>What would narrow it most</h2>
      <p className="mt-0.5">
        {BY[first.by]}: shot time to <b>±{first.shot_time_pct.toFixed(0)} %</b>, from ±
        {first.now_pct.toFixed(0)} %.
      </p>
      {others.map((one) => (
        <p key={one.by} className="mt-0.5 text-quiet">
          {BY[one.by]}: to ±{one.shot_time_pct.toFixed(0)} %.
        </p>
      ))}
    </section>
  );
}
