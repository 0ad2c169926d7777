import type { BeginForecast, Prediction } from "../../api/client";
import type { Chart, Extent } from "../../charts/frame";
import { Bands, StopMark, TraceLabels, Traces } from "../../charts/marks";
import { largest, largestLasting, tracePath } from "../../charts/paths";
import { ShotChart } from "../../charts/ShotChart";
import { forecastExtent } from "../../profile/ForecastChart";

/** The forecast of a plain shot with its range, and the range before this answer. */
export function BeginChart(props: {
  now: BeginForecast | undefined;
  before: BeginForecast | undefined;
}) {
  const now = props.now?.prediction;
  const before = props.before?.prediction;
  const time = now?.shot_time_s;
  const label =
    now && time?.value != null
      ? `A plain shot: ${time.value.toFixed(0)} seconds${rangeWords(now)}`
      : "No forecast yet";
  return (
    <ShotChart label={label} extent={extentOf(now, before)}>
      {(chart) =>
        now && (
          <>
            {before && <OldRange chart={chart} before={before} />}
            <Bands chart={chart} prediction={now} />
            <StopRange chart={chart} now={now} before={before} />
            <Traces chart={chart} curves={now.series} stop_s={time?.value ?? null} />
            {time?.value != null && (
              <StopMark chart={chart} stop={{ t: time.value, words: rangeWords(now).slice(2) }} />
            )}
            <TraceLabels
              chart={chart}
              curves={now.series}
              names={{ pressure_bar: "a plain shot, until you choose a profile" }}
              others={oldLabel(chart, before)}
              stop={
                time?.value == null ? undefined : { t: time.value, words: rangeWords(now).slice(2) }
              }
              classes={{ before: "t-quiet" }}
            />
          </>
        )
      }
    </ShotChart>
  );
}

function rangeWords({ shot_time_s: { p10, p90 }, members }: Prediction) {
  return members > 1 && p10 !== null && p90 !== null
    ? `, ${p10.toFixed(0)} to ${p90.toFixed(0)} s`
    : "";
}

function extentOf(now: Prediction | undefined, before: Prediction | undefined): Extent {
  const plain = forecastExtent(now);
  if (!now) return plain;
  const all = [now, ...(before ? [before] : [])];
  const late = Math.max(...all.map((one) => one.shot_time_s.p90 ?? 0));
  const high = all.map(({ series }) =>
    largestLasting(
      series.time_s,
      series.cup_out_ml_s_p90.map((value) => value ?? 0),
    ),
  );
  return {
    ...plain,
    seconds: Math.max(plain.seconds, Math.ceil(late * 1.05)),
    flow: Math.max(plain.flow, ...high),
    bar: Math.max(plain.bar, largest(now.series.pressure_bar)),
  };
}

/** Between the panes: when 8 in 10 shots stop, and over it, dashed, when they did before. */
function StopRange(props: { chart: Chart; now: Prediction; before: Prediction | undefined }) {
  const { chart, now, before } = props;
  const bar = (one: Prediction, y: number) => {
    const { p10, p90 } = one.shot_time_s;
    if (p10 === null || p90 === null || one.members < 2) return undefined;
    const [from, to] = [chart.x(p10), chart.x(p90)];
    return `M${from} ${y - 4}V${y + 4}M${from} ${y}H${to}M${to} ${y - 4}V${y + 4}`;
  };
  const middle = (chart.lane.top + chart.lane.bottom) / 2;
  return (
    <g data-trace="stops between">
      {before && (
        <path
          className="trace ghost"
          style={{ strokeDasharray: "2 3" }}
          d={bar(before, middle - 5)}
        />
      )}
      <path className="event" d={bar(now, middle + 4)} />
    </g>
  );
}

/** The edges of the range before, dashed. */
function OldRange({ chart, before }: { chart: Chart; before: Prediction }) {
  const { series } = before;
  const edges = [series.cup_out_ml_s_p10, series.cup_out_ml_s_p90] as const;
  return (
    <g data-trace="range before">
      {edges.map((edge) => {
        const inside = edge.flatMap((value, i) => (value === null ? [] : [i]));
        const curves = { ...series, cup_out_ml_s: edge.map((value) => value ?? 0) };
        return (
          <path
            key={edge === series.cup_out_ml_s_p10 ? "low" : "high"}
            className="trace ghost"
            style={{ strokeDasharray: "2 4" }}
            d={tracePath(chart, curves, "cup_out_ml_s", inside)}
          />
        );
      })}
    </g>
  );
}

function oldLabel(chart: Chart, before: Prediction | undefined) {
  if (!before) return [];
  const { series } = before;
  const last = series.cup_out_ml_s_p90.findLastIndex((value) => value !== null);
  const at = series.time_s[last];
  const value = series.cup_out_ml_s_p90[last];
  if (at === undefined || value == null) return [];
  const [x, y] = [chart.x(at), chart.flow(value)];
  const spots = [-8, 18, 34].map((dy) => ({ x, y: y + dy, anchor: "end" as const }));
  return [{ id: "before", words: "before this answer", spots }];
}
