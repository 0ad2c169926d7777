import { scaleLinear } from "d3-scale";
import type { ReactNode } from "react";
import type { Bench, Clock, Forecast, Prediction, Want } from "../../api/client";
import { CLOCKS, shotTime } from "../../profile/clock";
import { wantParts } from "../../profile/figures";
import { FigureName } from "../../ui/FigureName";
import { styles } from "../../ui/styles";
import { amountNumber, grams, readUnit } from "../../ui/units";
import { GoalWord } from "./GoalWord";

type Figure = Prediction["extraction_yield_pct"];

interface Row {
  name: string;
  /** What a goal may be set for; absent where the bench's own recipe is the goal. */
  wantable?: Want["figure"];
  figure: Figure;
  digits: number;
  unit: string;
  goal: number | null;
  goalWords: string;
}

/** The figures of a forecast, each with the goal the bench has for it. */
export function rowsOf(forecast: Forecast, bench: Bench | undefined, clock: Clock): Row[] {
  const { prediction: p, goal_cup_g: cup } = forecast;
  const relief = bench?.machine.relief_bar ?? null;
  const wanted = (figure: Want["figure"]) => {
    const want = bench?.goals.find((one) => one.figure === figure);
    return { wantable: figure, goal: want ? wantParts(want).value : null, goalWords: "" };
  };
  const timed = CLOCKS.find((one) => one.value === clock)?.figure ?? "shot_time_s";
  const peak = wanted("peak_pressure_bar");
  return [
    { name: "Shot time", figure: shotTime(p, clock), digits: 1, unit: "s", ...wanted(timed) },
    { name: "First drip", figure: p.first_drip_s, digits: 1, unit: "s", ...wanted("first_drip_s") },
    {
      name: "Yield",
      figure: p.yield_g,
      digits: 1,
      unit: "g",
      goal: cup,
      goalWords: cup === null ? "" : `goal ${grams(cup)}`,
    },
    {
      name: "Ratio",
      figure: p.ratio,
      digits: 2,
      unit: ": 1",
      goal: bench?.ratio ?? null,
      goalWords: bench ? `goal ${bench.ratio.toFixed(2)}` : "",
    },
    { name: "Strength (TDS)", figure: p.tds_pct, digits: 1, unit: "%", ...wanted("tds_pct") },
    {
      name: "Extraction (EY)",
      figure: p.extraction_yield_pct,
      digits: 1,
      unit: "%",
      ...wanted("extraction_yield_pct"),
    },
    {
      name: "Peak pressure",
      figure: p.peak_pressure_bar,
      digits: 1,
      unit: "bar",
      ...peak,
      goal: peak.goal ?? relief,
      goalWords: relief ? `relief ${relief} bar` : "",
    },
    { name: "Water used", figure: p.water_in_ml, digits: 1, unit: "mL", ...wanted("water_in_ml") },
  ];
}

const BAR = 94;

/** A figure with its range bar, scaled for its row, and a tick where the goal lies. */
export function FigureRow(props: Row & { bench?: Bench | undefined; children?: ReactNode }) {
  const { name, wantable, figure, digits, unit, goal, goalWords, bench, children } = props;
  const { value, p10, p90 } = figure;
  return (
    <li
      className="grid grid-cols-[102px_78px_94px] gap-x-0.5 items-start pt-1.25 pb-1.5 px-0 border-b border-b-rule max-phone:grid-cols-[minmax(102px,_1fr)_90px_94px]"
      data-figure={name}
    >
      <span className="leading-[22px]">
        <FigureName name={name} />
        <span className="block text-[13px] leading-4 text-quiet">
          {wantable && bench ? (
            <GoalWord bench={bench} figure={wantable} instead={goalWords} />
          ) : (
            goalWords
          )}
        </span>
      </span>
      <span className="text-right">
        {value === null ? (
          <span className="leading-[22px] text-quiet">none</span>
        ) : (
          <>
            <b className={styles.fig} data-part="fig">
              {amountNumber(value, unit, digits)}
            </b>
            <span className="inline-block min-w-[29px] pl-1 text-left text-[13px] text-quiet">
              {readUnit(unit)}
            </span>
          </>
        )}
      </span>
      <span>
        {value !== null && p10 !== null && p90 !== null && (
          <>
            <RangeBar value={value} p10={p10} p90={p90} goal={goal} />
            <span className="block min-h-4 text-[13px] leading-4 text-quiet tabular-nums">
              {p90 > p10 &&
                `${amountNumber(p10, unit, digits)} to ${amountNumber(p90, unit, digits)}`}
            </span>
          </>
        )}
      </span>
      {children}
    </li>
  );
}

function RangeBar(props: { value: number; p10: number; p90: number; goal: number | null }) {
  const { value, p10, p90, goal } = props;
  if (p90 <= p10 && goal === null) return <span className="block h-5" />;
  const all = goal === null ? [value, p10, p90] : [value, p10, p90, goal];
  const [low, high] = [Math.min(...all), Math.max(...all)];
  const margin = Math.max((high - low) * 0.5, Math.abs(value) * 0.05, 0.1);
  const x = scaleLinear([low - margin, high + margin], [0, BAR]).clamp(true);
  return (
    <svg width={BAR} height="20" className="block overflow-visible" aria-hidden="true">
      <path d={`M0 12.5H${BAR}`} className="stroke-rule" />
      {p90 > p10 && (
        <rect
          x={x(p10)}
          y="8"
          width={x(p90) - x(p10)}
          height="9"
          rx="1"
          className="fill-action opacity-30"
        />
      )}
      {goal !== null && (
        <g className="fill-ink stroke-ink">
          <path d={`M${x(goal)} 3v15`} />
          <path d={`M${x(goal) - 4} 0h8l-4 6z`} stroke="none" />
        </g>
      )}
      <circle cx={x(value)} cy="12.5" r="3.5" className="fill-ink stroke-paper stroke-[1.5]" />
    </svg>
  );
}
