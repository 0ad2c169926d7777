import { memo, type ReactNode, useMemo } from "react";
import type { Prediction, Profile } from "../api/client";
import type { LiveTraces } from "../api/useLive";
import { CommandedLines, commandedLabel } from "../charts/commanded";
import { type Axis, type Chart, type Extent, PUMP_ON } from "../charts/frame";
import {
  Bands,
  CutSpike,
  Lane,
  type LaneMark,
  Preamble,
  StopMark,
  TraceLabels,
  Traces,
  WeightGround,
} from "../charts/marks";
import { between, largest, largestLasting, scaleFor, tracePath } from "../charts/paths";
import { ShotChart } from "../charts/ShotChart";
import { curvesOnDial, type Dial, predictionOnDial } from "../profile/dial";
import { AS_DIAL } from "../profile/ForecastChart";
import { endedWords, told } from "../profile/words";
import type { ShotEvent } from "./events";
import { markWords } from "./log";

/** What the chart of a shot must hold: the shot so far, and what was forecast. */
export function measuredExtent(traces: LiveTraces, forecast: Prediction | undefined): Extent {
  const last = traces.time_s.at(-1) ?? 0;
  const forecastEnd = (forecast?.shot_time_s.value ?? 20) * 1.12 + 1;
  const series = forecast?.series;
  return {
    seconds: Math.ceil(Math.max(last, forecastEnd)),
    bar: Math.max(9, largest(traces.pressure_bar), largest(series?.pressure_bar ?? [])),
    flow: Math.max(
      2,
      largest(traces.cup_out_ml_s),
      largestLasting(traces.time_s, traces.water_in_ml_s),
      largestLasting(series?.time_s ?? [], series?.water_in_ml_s ?? []),
    ),
    grams: Math.max(10, largest(traces.cup_g), largest(series?.cup_g ?? [])),
  };
}

interface Props {
  profile: Profile;
  traces: LiveTraces;
  events?: ShotEvent[];
  prediction: Prediction;
  /** While it grows, the axis keeps still and labels stay where the forecast has them. */
  live?: boolean;
  firstDrip_s: number | null;
  stop_s: number | null;
  stopReason?: string | null | undefined;
  label: string;
  axis?: Axis;
  /** Pressure as the machine's own dial reads it. */
  dial?: Dial | undefined;
  extent?: Extent;
  /** What commands are of, where the profile does not say it. */
  commandsIn?: "bar" | "mL/s" | undefined;
  /** Room under the two panes for a third, which `over` fills. */
  third?: boolean;
  /** Drawn behind the shot's own curves, and before them. */
  under?: (chart: Chart) => ReactNode;
  over?: (chart: Chart) => ReactNode;
}

/** Commanded and achieved of one shot over the forecast made before it. */
export function MeasuredChart(props: Props) {
  const { dial } = props;
  const forecast = useMemo(
    () => (dial ? predictionOnDial(props.prediction) : props.prediction),
    [dial, props.prediction],
  );
  const inBar = (i: number) =>
    props.profile.phases[props.traces.phase[i] ?? 0]?.command.control === "pressure";
  const traces = dial ? curvesOnDial(props.traces, dial, inBar) : props.traces;
  const { profile, events = [], live = false, firstDrip_s, stop_s } = props;
  const own = props.commandsIn && (props.commandsIn === "bar" ? "pressure" : "flow");
  const control = traces.phase.map(
    (phase) => own ?? profile.phases[phase]?.command.control ?? null,
  );
  const reason =
    props.stopReason === "cup_g"
      ? `at ${told(profile.stop.cup_g, "g")}`
      : endedWords(props.stopReason);
  const stop = stop_s === null ? undefined : { t: stop_s, words: reason };
  const marks = marksOf(events, firstDrip_s);
  const series = { ...traces, control };
  return (
    <ShotChart
      label={props.label}
      extent={props.extent ?? measuredExtent(traces, forecast)}
      axis={props.axis ?? PUMP_ON}
      third={props.third ?? false}
      pressureTitle={dial ? AS_DIAL : "Pressure at the puck"}
    >
      {(chart) => (
        <>
          <Preamble chart={chart} prediction={forecast} />
          {props.under?.(chart)}
          <WeightGround chart={chart} curves={traces} />
          <Forecast chart={chart} forecast={forecast} />
          <CommandedLines chart={chart} series={series} squares={!live} />
          <Traces chart={chart} curves={traces} stop_s={stop_s} />
          <Lane chart={chart} marks={marks} />
          <CutSpike chart={chart} curves={traces} />
          {stop && <StopMark chart={chart} stop={stop} />}
          {live && !stop && traces.pressure_bar.at(-1) === null && (
            <NowMark chart={chart} t={traces.time_s.at(-1) ?? 0} />
          )}
          {live && !stop ? (
            <HeadLabels chart={chart} traces={traces} />
          ) : (
            <TraceLabels
              chart={chart}
              curves={traces}
              stop={stop}
              also={[forecast.series]}
              names={{ pressure_bar: "achieved" }}
              others={[...commandedLabel(chart, series), forecastLabel(chart, forecast)]}
              classes={{ forecast: "t-quiet", commanded: "t-pressure" }}
            />
          )}
          {props.over?.(chart)}
        </>
      )}
    </ShotChart>
  );
}

/** What was forecast: it stands still while the shot grows, and is drawn once. */
const Forecast = memo(function Forecast({
  chart,
  forecast,
}: {
  chart: Chart;
  forecast: Prediction;
}) {
  const inside = useMemo(
    () => between(forecast.series.time_s, 0, forecast.shot_time_s.value ?? 0),
    [forecast],
  );
  return (
    <g data-trace="forecast">
      <Bands chart={chart} prediction={forecast} />
      {(["pressure_bar", "cup_out_ml_s"] as const).map((channel) => (
        <path
          key={channel}
          className="trace ghost"
          d={tracePath(chart, forecast.series, channel, inside)}
        />
      ))}
    </g>
  );
});

/** Where the clock stands, while no curve of the machine's shows it. */
function NowMark({ chart, t }: { chart: Chart; t: number }) {
  const x = chart.x(t);
  return (
    <g data-event="now">
      <path className="event" d={`M${x} ${chart.upper.top}V${chart.lower.bottom}`} />
      <text className="label" x={x + 7} y={chart.upper.top + 14}>
        now
      </text>
    </g>
  );
}

const HEADS = [
  { channel: "pressure_bar", name: "achieved", pane: 0, ink: "t-pressure" },
  { channel: "water_in_ml_s", name: "water in", pane: 1, ink: "t-water" },
  { channel: "cup_out_ml_s", name: "cup out", pane: 1, ink: "t-cup" },
  { channel: "cup_g", name: "weight", pane: 1, ink: "t-weight" },
] as const;

/** The names of the curves at the moment they have come to. */
function HeadLabels({ chart, traces }: { chart: Chart; traces: LiveTraces }) {
  const t = traces.time_s.at(-1) ?? 0;
  const x = chart.x(t) + 7;
  const heads = HEADS.flatMap(({ channel, ...head }) => {
    const value = traces[channel].at(-1);
    return value == null ? [] : [{ ...head, at: scaleFor(chart, channel)(value) }];
  }).sort((a, b) => a.pane - b.pane || b.at - a.at);
  let below = Number.POSITIVE_INFINITY;
  let pane = 0;
  return (
    <g>
      {heads.map((head) => {
        if (head.pane !== pane) below = Number.POSITIVE_INFINITY;
        pane = head.pane;
        const y = Math.min(head.at + 4, below - 15); // one above the other where they meet
        below = y;
        return (
          <text key={head.name} className={`label ${head.ink}`} x={x} y={y}>
            {head.name}
          </text>
        );
      })}
    </g>
  );
}

function marksOf(events: ShotEvent[], firstDrip_s: number | null): LaneMark[] {
  const told = events.flatMap((event, i): LaneMark[] => {
    const words = markWords(event);
    const twice = // it was told by hand
      event.kind === "marked" && event.mark === "first_drip" && event.time_s === firstDrip_s;
    return words && !twice
      ? [{ id: `${event.kind}-${i}`, t: event.time_s, name: "", value: words, open: true }]
      : [];
  });
  if (firstDrip_s === null) return told;
  const drip = { name: "first drip", value: `${firstDrip_s.toFixed(1)} s` };
  return [{ id: "first-drip", t: firstDrip_s, ...drip }, ...told];
}

/** The word beside a forecast's pressure, where there is room. */
export function forecastLabel(chart: Chart, forecast: Prediction, words = "forecast") {
  const inside = between(forecast.series.time_s, 0, forecast.shot_time_s.value ?? 0);
  const spots = [0.9, 0.75, 0.6, 0.3].flatMap((share) => {
    const i = inside[Math.floor(share * (inside.length - 1))] ?? 0;
    const x = chart.x(forecast.series.time_s[i] ?? 0);
    const y = chart.bar(forecast.series.pressure_bar[i] ?? 0);
    return [
      { x, y: y - 9, anchor: "middle" as const },
      { x, y: y + 18, anchor: "middle" as const },
    ];
  });
  return { id: "forecast", words, spots };
}
