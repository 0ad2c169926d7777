import { bisectLeft } from "d3-array";
import { memo, useMemo } from "react";
import type { Prediction } from "../api/client";
import { CommandedLines, commandedLabel } from "../charts/commanded";
import type { Axis, Chart, Extent } from "../charts/frame";
import type { Spot, Wanted } from "../charts/labels";
import {
  Bands,
  CutSpike,
  Drinking,
  Lane,
  type LaneMark,
  Preamble,
  Span,
  StopMark,
  spotsOn,
  TraceLabels,
  Traces,
  WeightGround,
} from "../charts/marks";
import { between, betweenPath, largest, largestLasting, tracePath, valueAt } from "../charts/paths";
import { ShotChart } from "../charts/ShotChart";
import { grams } from "../ui/units";
import { predictionOnDial } from "./dial";
import type { LooseProfile } from "./loose";
import type { Answered } from "./useForecast";
import { endedWords, exitWords, stopWords, told } from "./words";

const EMPTY: Extent = { seconds: 30, bar: 10, flow: 4, grams: 40 };

/** The title of a pane whose pressure is the dial's. */
export const AS_DIAL = "Pressure as the dial reads";

/** What the chart must hold: the shot, the ghost, and a little after the stop. */
export function forecastExtent(...predictions: (Prediction | undefined)[]): Extent {
  const known = predictions.filter((one) => one !== undefined);
  if (known.length === 0) return EMPTY;
  const most = (of: (one: Prediction) => number) => Math.max(...known.map(of));
  const stop = most((one) => one.shot_time_s.value ?? 0);
  return {
    seconds: Math.ceil(Math.max(stop * 1.12, stop + 3)),
    bar: Math.max(
      9,
      most((one) => largest(one.series.pressure_bar)),
    ),
    flow: Math.max(
      2,
      most((one) => largest(one.series.cup_out_ml_s)),
      most((one) => largestLasting(one.series.time_s, one.series.water_in_ml_s)),
    ),
    grams: Math.max(
      10,
      most((one) => largest(one.series.cup_g)),
    ),
    amount: Math.max(10, most((one) => one.series.water_ml.at(-1) ?? 0) * 1.06),
  };
}

interface Props {
  extent: Extent;
  axis: Axis;
  answered: Answered | undefined;
  ghost?: Prediction | undefined;
  ghostName?: string;
  selected?: number;
  /** Whether something over the chart draws the squares of what is commanded. */
  bare?: boolean;
  /** Pressure as the machine's dial reads it. */
  dial?: boolean;
}

/** The predicted curves, with what is commanded, the active limits, and the version before as a ghost. */
export const ForecastChart = memo(function ForecastChart(props: Props) {
  const { extent, axis, answered, ghost, ghostName = "", selected = -1, bare = false } = props;
  const { dial = false } = props;
  const own = answered?.forecast.prediction;
  const prediction = useMemo(() => (own && dial ? predictionOnDial(own) : own), [own, dial]);
  const time = prediction?.shot_time_s.value;
  const stop =
    answered && time != null
      ? { t: time, words: reasonWords(answered.forecast.prediction, answered.profile) }
      : undefined;
  const label = prediction
    ? `Predicted pressure, flow and cup weight: ${time} seconds, ${prediction.yield_g.value} grams`
    : "No prediction yet";
  return (
    <ShotChart
      label={label}
      extent={extent}
      axis={axis}
      pressureTitle={dial ? AS_DIAL : "Pressure at the puck"}
    >
      {(chart) =>
        answered &&
        prediction && (
          <>
            <Preamble chart={chart} prediction={prediction} />
            <SelectedSpan chart={chart} prediction={prediction} selected={selected} />
            <PhaseBounds chart={chart} prediction={prediction} />
            <WeightGround chart={chart} curves={prediction.series} />
            <Drinking
              chart={chart}
              curves={prediction.series}
              until_s={prediction.meet_s.value ?? prediction.shot_time_s.value ?? 0}
            />
            <Bands chart={chart} prediction={prediction} />
            {ghost && <Ghost chart={chart} prediction={ghost} />}
            <Gaps chart={chart} prediction={prediction} />
            <Limits chart={chart} prediction={prediction} profile={answered.profile} />
            <CommandedLines
              chart={chart}
              series={prediction.series}
              selected={selected}
              squares={!bare}
            />
            <Traces
              chart={chart}
              curves={prediction.series}
              stop_s={prediction.shot_time_s.value}
            />
            <CutSpike chart={chart} curves={prediction.series} />
            <EndOfPreInfusion chart={chart} prediction={prediction} />
            <Lane chart={chart} marks={laneMarks(prediction)} />
            {stop && <StopMark chart={chart} stop={stop} />}
            <TraceLabels
              chart={chart}
              curves={prediction.series}
              names={{ pressure_bar: "achieved" }}
              others={otherLabels(chart, answered, ghost, ghostName)}
              stop={stop}
              also={ghost ? [ghost.series] : []}
              classes={{
                commanded: "t-pressure",
                ghost: "t-quiet",
                gap: "t-warn",
                stays: "t-water",
                soaked: "t-quiet",
              }}
            />
          </>
        )
      }
    </ShotChart>
  );
});

function reasonWords(prediction: Prediction, profile: LooseProfile) {
  switch (prediction.stopped_on) {
    case "cup_g":
      return `at ${stopWords(profile.stop).first}`;
    case "water_ml":
      return `at ${told(profile.stop.water_ml, "mL")} pumped`;
    case "time_s":
      return "longest time is up";
    default:
      return "the last phase is over";
  }
}

function rangeOf({ members }: Prediction, { p10, p90 }: Prediction["meet_s"]) {
  return members > 1 && p10 !== null && p90 !== null ? ([p10, p90] as [number, number]) : undefined;
}

function laneMarks(prediction: Prediction): LaneMark[] {
  const marks: LaneMark[] = [];
  const { first_drip_s, meet_s } = prediction;
  if (first_drip_s.value !== null) {
    marks.push({
      id: "first-drip",
      t: first_drip_s.value,
      name: "first drip",
      value: `${first_drip_s.value.toFixed(1)} s`,
      range: rangeOf(prediction, first_drip_s),
    });
  }
  if (meet_s.value !== null) {
    marks.push({
      id: "meet",
      t: meet_s.value,
      name: "water in meets cup out",
      value: `${meet_s.value.toFixed(1)} s`,
      open: true,
    });
  }
  return marks;
}

function SelectedSpan(props: { chart: Chart; prediction: Prediction; selected: number }) {
  const { chart, prediction, selected } = props;
  const run = prediction.phases[selected];
  if (run?.start_s == null || run.end_s == null) return null;
  return <Span chart={chart} className="selected-span" from_s={run.start_s} to_s={run.end_s} />;
}

function PhaseBounds({ chart, prediction }: { chart: Chart; prediction: Prediction }) {
  return (
    <g>
      {prediction.phases
        .slice(prediction.preamble ? 0 : 1)
        .map(
          (phase) =>
            phase.start_s !== null && (
              <path
                key={phase.start_s}
                className="bound"
                d={`M${chart.x(phase.start_s)} ${chart.upper.top}V${chart.lower.bottom}`}
              />
            ),
        )}
    </g>
  );
}

function Ghost({ chart, prediction }: { chart: Chart; prediction: Prediction }) {
  const { series } = prediction;
  const inside = between(series.time_s, 0, prediction.shot_time_s.value ?? 0);
  return (
    <g data-trace="ghost">
      <path className="trace ghost" d={tracePath(chart, series, "pressure_bar", inside)} />
      <path className="trace ghost" d={tracePath(chart, series, "cup_out_ml_s", inside)} />
    </g>
  );
}

/** Where a limit holds the achieved off the commanded. */
function Gaps({ chart, prediction }: { chart: Chart; prediction: Prediction }) {
  const { series, binding } = prediction;
  return (
    <g>
      {binding.map((one) => {
        const inside = between(series.time_s, one.from, one.to).filter(
          (i) => series.commanded[i] !== null && series.control[i] !== "valve",
        );
        const first = inside[0];
        if (first === undefined) return null;
        const pressure = series.control[first] === "pressure";
        const y = pressure ? chart.bar : chart.flow;
        const achieved = pressure ? series.pressure_bar : series.water_in_ml_s;
        const d = betweenPath(
          chart,
          series.time_s,
          (i) => y(achieved[i] ?? 0),
          (i) => y(series.commanded[i] ?? 0),
          inside,
        );
        return (
          <path key={`${one.what}${one.from}`} className="gap" d={d} data-binding={one.what} />
        );
      })}
    </g>
  );
}

/** A phase's limit as a thin line in the pane of what it limits. */
function Limits(props: { chart: Chart; prediction: Prediction; profile: LooseProfile }) {
  const { chart, prediction, profile } = props;
  return (
    <g>
      {profile.phases.map((phase, i) => {
        const run = prediction.phases[i];
        if (run?.start_s == null || run.end_s == null) return null;
        const { pressure_bar: bar, flow_ml_s: flow } = phase.limit;
        const value = typeof bar === "number" ? bar : typeof flow === "number" ? flow : null;
        if (value === null) return null;
        const kind = typeof bar === "number" ? "pressure" : "flow";
        const y = (kind === "pressure" ? chart.bar : chart.flow)(value);
        if (y < (kind === "pressure" ? chart.upper.top : chart.lower.top)) return null;
        return (
          <path
            key={`${run.start_s}${value}`}
            className={`limit commanded ${kind}`}
            d={`M${chart.x(run.start_s)} ${y}H${chart.x(run.end_s)}`}
          />
        );
      })}
    </g>
  );
}

/** Labels besides the traces' own: commanded, the ghost, the active limits, and what stays behind. */
function otherLabels(
  chart: Chart,
  { forecast: { prediction }, profile }: Answered,
  ghost: Prediction | undefined,
  ghostName: string,
): Wanted[] {
  const labels: Wanted[] = [];
  const { series } = prediction;
  const soaked = soakedLabel(chart, prediction, profile);
  if (soaked) labels.push(soaked);
  const gap = prediction.binding.find((one) => one.words.includes("under"));
  if (gap)
    labels.push({
      id: "gap",
      words: gap.words,
      spots: gapSpots(chart, prediction, gap.from, gap.to),
    });
  const behind = prediction.stays_behind_ml.value;
  const meet = prediction.meet_s.value ?? prediction.shot_time_s.value;
  if (behind !== null && meet !== null && behind > 1) {
    const words = `${grams(behind, 0)} retained`;
    const spots = [0.3, 0.4, 0.2, 0.5, 0.1].flatMap((share): Spot[] => {
      const water = valueAt(series.time_s, series.water_in_ml_s, share * meet) ?? 0;
      const x = chart.x(share * meet);
      return [0.5, 0.7, 0.3].map((part) => ({ x, y: chart.flow(water * part), anchor: "middle" }));
    });
    labels.push({ id: "stays", words, spots });
  }
  if (ghost) {
    const ghostLabel = spotsOn(chart, ghost.series, "pressure_bar");
    labels.push({ id: "ghost", words: ghostName, spots: ghostLabel });
  }
  labels.push(...commandedLabel(chart, series));
  return labels;
}

/** What ended pre-infusion, beside the point where it did. */
function soakedLabel(chart: Chart, prediction: Prediction, profile: LooseProfile) {
  const at = prediction.pre_infusion_end_s.value;
  if (at === null) return undefined;
  const i = prediction.phases.findIndex((run) => run.start_s !== null && run.start_s >= at - 0.02);
  const ended = prediction.phases[i - 1]?.ended_on;
  const exit = profile.phases[i - 1]?.exits.find((one) => one.when === ended);
  const what = exit ? exitWords(exit) : endedWords(ended);
  const bar = valueAt(prediction.series.time_s, prediction.series.pressure_bar, at) ?? 0;
  const [x, y] = [chart.x(at), chart.bar(bar)];
  const spots: Spot[] = [4, -12, 20, -28].flatMap((dy): Spot[] => [
    { x: x - 10, y: y + dy, anchor: "end" },
    { x: x + 10, y: y + dy, anchor: "start" },
  ]);
  return { id: "soaked", words: `${what} ends pre-infusion`, spots };
}

/** A ring where pre-infusion ends. */
function EndOfPreInfusion({ chart, prediction }: { chart: Chart; prediction: Prediction }) {
  const at = prediction.pre_infusion_end_s.value;
  if (at === null) return null;
  const bar = valueAt(prediction.series.time_s, prediction.series.pressure_bar, at) ?? 0;
  return (
    <g data-event="pre-infusion-end">
      <title>{`pre-infusion ends ${at.toFixed(1)} s`}</title>
      <circle className="dot open" cx={chart.x(at)} cy={chart.bar(bar)} r="3.5" />
    </g>
  );
}

function gapSpots(chart: Chart, prediction: Prediction, from: number, to: number): Spot[] {
  const { series } = prediction;
  return [to, (from + to) / 2].flatMap((t): Spot[] => {
    const i = bisectLeft(series.time_s, t - 1e-6);
    const pressure = series.control[i] === "pressure";
    const y = pressure
      ? chart.bar(series.pressure_bar[i] ?? 0)
      : chart.flow(series.water_in_ml_s[i] ?? 0);
    return [24, 40, 56, -14, 72].flatMap((dy): Spot[] => [
      { x: chart.x(t) - 8, y: y + dy, anchor: "end" },
      { x: chart.x(t), y: y + dy, anchor: "middle" },
    ]);
  });
}
