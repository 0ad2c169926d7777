import { useQuery } from "@tanstack/react-query";
import { bisectRight } from "d3-array";
import { scaleLinear } from "d3-scale";
import { line } from "d3-shape";
import type { Prediction, Variant } from "../../api/client";
import { whatIfQuery } from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { useSetup } from "../../api/useSetup";
import { largest } from "../../charts/paths";
import type { ForecastNow } from "../../profile/useForecast";

import { cn, styles } from "../../ui/styles";
import { amount } from "../../ui/units";

const LIST =
  "what-if grid auto-cols-[minmax(86px,1fr)] grid-flow-col gap-2.5 overflow-x-auto text-[13px] leading-4 [&_b]:inline-block [&_svg]:w-full";

/** The same profile with the grind, dose, rest or water a little different, side by side. */
export function WhatIfPanel({ now }: { now: ForecastNow }) {
  const setup = useSetup();
  const profile = now.answered?.profile;
  const variants = useQuery({
    ...whatIfQuery(setup, profile),
    enabled: Boolean(setup && profile) && !now.refused,
  });
  const here = now.answered?.forecast.prediction;
  if (variants.error)
    return (
      <p className={cn(styles.editor, "text-warn")} data-ui="editor">
        {failureWords(variants.error) ?? ""}
      </p>
    );
  if (!variants.data || !here)
    return (
      <p className={cn(styles.editor, "text-quiet")} data-ui="editor">
        Calculating
      </p>
    );
  const seconds = Math.max(
    here.shot_time_s.value ?? 0,
    ...variants.data.map((one) => one.time_s.at(-1) ?? 0),
  );
  const bar = Math.max(
    largest(here.series.pressure_bar),
    ...variants.data.map((one) => largest(one.pressure_bar)),
  );
  return (
    <section className={styles.editor} data-ui="editor" aria-label="What if">
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: where it is wider than the page it scrolls by keys */}
      <ul className={LIST} tabIndex={0} aria-label="One thing changed">
        {variants.data.map((one) => (
          <li key={one.name} data-variant={one.name}>
            <Small variant={one} here={here} seconds={seconds} bar={bar} />
            <b className="first-letter:uppercase">{one.name}</b>
            <span className="block text-quiet tabular-nums">{amount(one.after, one.unit)}</span>
            <span className="block tabular-nums">{changeWords(one)}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function changeWords(one: Variant) {
  const signed = (value: number | null | undefined) =>
    value == null ? "?" : `${value > 0 ? "+" : ""}${value.toFixed(1)}`;
  return `${signed(one.shot_time_change_s)} s, ${signed(one.extraction_yield_change_points)} %`;
}

const SIZE = { width: 104, height: 54 };
const FLOW_TOP = 6;

function Small(props: { variant: Variant; here: Prediction; seconds: number; bar: number }) {
  const { variant, here, seconds, bar } = props;
  const x = scaleLinear([0, seconds], [0, SIZE.width]);
  const y = scaleLinear([0, bar], [SIZE.height - 1, 2]);
  const q = scaleLinear([0, FLOW_TOP], [SIZE.height - 1, 2]);
  const path = (time_s: number[], values: number[], scale: (value: number) => number) =>
    line<number>()
      .x((i) => x(time_s[i] ?? 0))
      .y((i) => scale(values[i] ?? 0))(time_s.map((_, i) => i)) ?? "";
  const stop = bisectRight(here.series.time_s, here.shot_time_s.value ?? 0);
  const before = {
    time_s: here.series.time_s.slice(0, stop),
    pressure: here.series.pressure_bar,
    cup: here.series.cup_out_ml_s,
  };
  const words = `${variant.name}: ${changeWords(variant)}`;
  return (
    <svg
      className="chart block"
      viewBox={`0 0 ${SIZE.width} ${SIZE.height}`}
      height={SIZE.height}
      preserveAspectRatio="none"
      role="img"
      aria-label={words}
    >
      <path className="base" d={`M0 ${SIZE.height - 0.5}H${SIZE.width}`} />
      <path className="trace ghost" d={path(before.time_s, before.pressure, y)} />
      <path className="trace ghost" d={path(before.time_s, before.cup, q)} />
      <path className="trace pressure" d={path(variant.time_s, variant.pressure_bar, y)} />
      <path className="trace cup" d={path(variant.time_s, variant.cup_out_ml_s, q)} />
    </svg>
  );
}
