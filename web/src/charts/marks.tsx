import type { ReactNode } from "react";
import type { Prediction } from "../api/client";
import type { Chart } from "./frame";
import { useMarkId } from "./ids";
import { type Box, boxOf, placed, type Spot, type Wanted, widthOf } from "./labels";
import {
  between,
  betweenPath,
  type Channel,
  type Curves,
  largest,
  scaleFor,
  tracePath,
  valueAt,
} from "./paths";

/** Which stroke a channel has: they differ, so that they read without colour. */
export const STROKES: Record<Channel, string> = {
  pressure_bar: "pressure",
  water_in_ml_s: "water",
  cup_out_ml_s: "cup",
  cup_g: "weight",
};

const CHANNELS: Channel[] = ["cup_g", "cup_out_ml_s", "water_in_ml_s", "pressure_bar"];

interface TracesProps {
  chart: Chart;
  curves: Curves;
  /** When the pump stopped; what follows is drawn faint. */
  stop_s?: number | null;
  className?: string;
  channels?: Channel[];
}

/** All four curves of a shot. */
export function Traces({
  chart,
  curves,
  stop_s,
  className = "",
  channels = CHANNELS,
}: TracesProps) {
  const end = curves.time_s.at(-1) ?? 0;
  const stop = stop_s ?? end;
  const until = between(curves.time_s, 0, stop);
  const after = stop < end ? between(curves.time_s, stop - 0.1, end) : [];
  return (
    <LowerPane chart={chart}>
      {(clip) =>
        channels.map((channel) => (
          <g key={channel} data-trace={channel} {...(channel === "pressure_bar" ? {} : clip)}>
            <path
              className={`trace ${STROKES[channel]} ${className}`}
              d={tracePath(chart, curves, channel, until)}
            />
            <path
              className={`trace ${STROKES[channel]} ${className} tail`}
              d={tracePath(chart, curves, channel, channel === "cup_g" ? [] : after)}
            />
            {channel === "cup_g" && (
              <path
                className={`trace ${STROKES[channel]} ${className}`}
                d={tracePath(chart, curves, channel, after)}
              />
            )}
          </g>
        ))
      }
    </LowerPane>
  );
}

/** What keeps flow in its own pane: a spike beyond the axis ends at its edge. */
function LowerPane(props: { chart: Chart; children: (clip: { clipPath: string }) => ReactNode }) {
  const { left, right, lower } = props.chart;
  const id = useMarkId("lower");
  return (
    <g>
      <clipPath id={id}>
        <rect
          x={left - 2}
          y={lower.top}
          width={Math.max(0, right - left + 8)}
          height={Math.max(0, lower.bottom - lower.top + 3)}
        />
      </clipPath>
      {props.children({ clipPath: `url(#${id})` })}
    </g>
  );
}

/** The cup's weight as a filled ground. */
export function WeightGround({ chart, curves }: { chart: Chart; curves: Curves }) {
  const all = curves.time_s.map((_, i) => i);
  const d = betweenPath(
    chart,
    curves.time_s,
    () => chart.grams(0),
    (i) => chart.grams(curves.cup_g[i] ?? 0),
    all,
  );
  return <path className="area" d={d} />;
}

/** The strip between water in and cup out: the puck still drinking. */
export function Drinking({
  chart,
  curves,
  until_s,
}: {
  chart: Chart;
  curves: Curves;
  until_s: number;
}) {
  const inside = between(curves.time_s, 0, until_s);
  const d = betweenPath(
    chart,
    curves.time_s,
    (i) => chart.flow(Math.min(curves.cup_out_ml_s[i] ?? 0, curves.water_in_ml_s[i] ?? 0)),
    (i) => chart.flow(curves.water_in_ml_s[i] ?? 0),
    inside,
  );
  return <path d={d} fill="url(#strip)" />;
}

type Edge = readonly (number | null)[];

/** The range a curve is expected within, where enough of the ensemble still runs. */
export function Band(props: {
  chart: Chart;
  time_s: number[];
  low: Edge;
  high: Edge;
  channel: Channel;
}) {
  const { chart, time_s, low, high, channel } = props;
  const y = scaleFor(chart, channel);
  const known = time_s.flatMap((_, i) => (low[i] == null || high[i] == null ? [] : [i]));
  const d = betweenPath(
    chart,
    time_s,
    (i) => y(low[i] ?? 0),
    (i) => y(high[i] ?? 0),
    known,
  );
  return <path className={`band ${STROKES[channel]}`} d={d} />;
}

/** All ranges of a forecast, fading between the early and the late stop. */
export function Bands({ chart, prediction }: { chart: Chart; prediction: Prediction }) {
  const id = useMarkId("fade");
  const { series, shot_time_s: stop, members } = prediction;
  if (members < 2 || stop.p10 === null || stop.p90 === null) return null;
  const [early, late] = [chart.x(stop.p10), chart.x(stop.p90)];
  const time_s = series.time_s;
  return (
    <g mask={`url(#${id})`} data-trace="range">
      <linearGradient
        id={`${id}-g`}
        gradientUnits="userSpaceOnUse"
        x1={early}
        x2={late + 1}
        y1="0"
        y2="0"
      >
        <stop offset="0" stopColor="#fff" />
        <stop offset="1" stopColor="#fff" stopOpacity="0.1" />
      </linearGradient>
      <mask
        id={id}
        maskUnits="userSpaceOnUse"
        x="0"
        y="0"
        width={chart.width}
        height={chart.height}
      >
        <rect width={chart.width} height={chart.height} fill={`url(#${id}-g)`} />
      </mask>
      <Band
        {...{ chart, time_s, channel: "pressure_bar" }}
        low={series.pressure_bar_p10}
        high={series.pressure_bar_p90}
      />
      <LowerPane chart={chart}>
        {(clip) => (
          <g {...clip}>
            <Band
              {...{ chart, time_s, channel: "water_in_ml_s" }}
              low={series.water_in_ml_s_p10}
              high={series.water_in_ml_s_p90}
            />
            <Band
              {...{ chart, time_s, channel: "cup_out_ml_s" }}
              low={series.cup_out_ml_s_p10}
              high={series.cup_out_ml_s_p90}
            />
          </g>
        )}
      </LowerPane>
    </g>
  );
}

/** Labels on the traces, placed where they are free; no legend is needed. */
export function TraceLabels(props: {
  chart: Chart;
  curves: Curves;
  names?: Partial<Record<Channel, string>>;
  others?: Wanted[];
  also?: Curves[];
  classes?: Record<string, string>;
  stop?: Stop | undefined;
}) {
  const { chart, curves, others = [], also = [] } = props;
  const names = { ...NAMES, ...props.names };
  const wanted: Wanted[] = [
    ...others,
    ...CHANNELS.toReversed().map((channel) => ({
      id: channel,
      words: names[channel],
      spots: spotsOn(chart, curves, channel),
    })),
  ];
  const points = [curves, ...also].flatMap((one) =>
    CHANNELS.flatMap((c) => pointsOf(chart, one, c)),
  );
  const bounds = {
    x0: chart.left + 2,
    x1: chart.right - 2,
    y0: chart.upper.top,
    y1: chart.lower.bottom,
  };
  const lane = { x0: chart.left, x1: chart.right, y0: chart.lane.top, y1: chart.lane.bottom };
  const stop = props.stop ? stopPlace(chart, props.stop) : undefined;
  const stopped =
    props.stop && stop
      ? [
          boxOf(`stop ${props.stop.t.toFixed(1)} s`, stop.first),
          boxOf(props.stop.words, stop.second),
        ]
      : [];
  const spots = placed(wanted, points, bounds, [lane, ...stopped]);
  return (
    <g>
      {wanted.map(({ id, words }) => {
        const spot = spots.get(id);
        return (
          spot && (
            <text
              key={id}
              className={`label ${props.classes?.[id] ?? `t-${STROKES[id as Channel] ?? "quiet"}`}`}
              x={spot.x}
              y={spot.y}
              textAnchor={spot.anchor}
            >
              {words}
            </text>
          )
        );
      })}
    </g>
  );
}

const NAMES: Record<Channel, string> = {
  pressure_bar: "pressure",
  water_in_ml_s: "water in",
  cup_out_ml_s: "cup out",
  cup_g: "cup weight",
};

/** Where along each curve its label is tried first: where the curve is apart from the others. */
const SHARES: Record<Channel, number[]> = {
  pressure_bar: [0.5, 0.62, 0.4, 0.75, 0.3],
  water_in_ml_s: [0.06, 0.1, 0.16, 0.25, 0.35, 0.5, 0.65],
  cup_out_ml_s: [0.6, 0.7, 0.5, 0.8, 0.4],
  cup_g: [0.7, 0.6, 0.8, 0.5, 0.9],
};

/** Places along a curve, a little above and below it, the best first: where it is high and early. */
export function spotsOn(chart: Chart, curves: Curves, channel: Channel): Spot[] {
  const end = curves.time_s.at(-1) ?? 0;
  const y = scaleFor(chart, channel);
  const shares = SHARES[channel];
  return shares.flatMap((share) => {
    const t = share * end;
    const value = valueAt(curves.time_s, curves[channel], t);
    if (value === undefined || value < 0.04 * (y.domain()[1] ?? 0)) return []; // lies on the axis
    const at = { x: chart.x(t), anchor: "middle" as const };
    const offsets = channel === "cup_g" ? [22, 34, -10] : [-9, 18, -20, 30];
    return offsets.map((dy) => ({ ...at, y: y(value) + dy }));
  });
}

/** The points of a curve every few pixels, for keeping labels off it. */
function pointsOf(chart: Chart, curves: Curves, channel: Channel): [number, number][] {
  const y = scaleFor(chart, channel);
  const stride = Math.max(1, Math.floor(curves.time_s.length / 120));
  return curves.time_s.flatMap((t, i): [number, number][] =>
    i % stride === 0 && curves[channel][i] != null
      ? [[chart.x(t), y(curves[channel][i] ?? 0)]]
      : [],
  );
}

export interface LaneMark {
  id: string;
  t: number;
  name: string;
  value: string;
  open?: boolean;
  /** From when to when it is expected. */
  range?: [number, number] | undefined;
}

/** Events in the lane between the panes: a dot each, its name beside it where there is room. */
export function Lane({ chart, marks }: { chart: Chart; marks: LaneMark[] }) {
  const y = (chart.lane.top + chart.lane.bottom) / 2 + 7;
  const inOrder = [...marks].sort((a, b) => a.t - b.t);
  const beside = (mark: LaneMark, id: string, words: string): Wanted => ({
    id,
    words,
    spots: [
      { x: chart.x(Math.max(mark.t, mark.range?.[1] ?? 0)) + 9, y, anchor: "start" },
      { x: chart.x(Math.min(mark.t, mark.range?.[0] ?? mark.t)) - 9, y, anchor: "end" },
    ],
  });
  const dots = inOrder.map(({ t, range }) => {
    const dot = boxAround(chart.x(t), y - 4, 5);
    if (!range) return dot;
    const [from, to] = range.map((at) => chart.x(at));
    return { ...dot, x0: Math.min(dot.x0, from ?? dot.x0), x1: Math.max(dot.x1, to ?? dot.x1) };
  });
  const title = boxOf("Flow mL/s ", { x: chart.left, y, anchor: "start" });
  const bounds = { x0: 0, x1: chart.right + 4, y0: chart.lane.top - 4, y1: chart.lane.bottom + 6 };
  const full = inOrder.map((mark) => beside(mark, mark.id, `${mark.name} ${mark.value}`));
  const spots = placed(full, [], bounds, [title, ...dots]);
  // Where there is no room for the name, the number alone may fit; the dot says which it is.
  const left = inOrder.filter((mark) => !spots.has(mark.id));
  const taken = full.flatMap(({ id, words }) => boxesOf(words, spots.get(id)));
  const short = placed(
    left.map((mark) => beside(mark, mark.id, mark.value)),
    [],
    bounds,
    [title, ...dots, ...taken],
  );
  return (
    <g>
      {inOrder.map((mark) => {
        const spot = spots.get(mark.id) ?? short.get(mark.id);
        return (
          <g key={mark.id} data-event={mark.id}>
            <title>{`${mark.name} ${mark.value}`}</title>
            <path className="event" d={`M${chart.x(mark.t)} ${y - 4}V${chart.lower.bottom}`} />
            {mark.range && (
              <path
                className="event"
                d={`M${chart.x(mark.range[0])} ${y - 7}v6m0 -3H${chart.x(mark.range[1])}m0 -3v6`}
              />
            )}
            <circle
              className={mark.open ? "dot open" : "dot"}
              cx={chart.x(mark.t)}
              cy={y - 4}
              r="3.5"
            />
            {spot && (
              <text className="label" x={spot.x} y={spot.y} textAnchor={spot.anchor}>
                {spots.has(mark.id) && `${mark.name} `}
                <tspan className="strong">{mark.value}</tspan>
              </text>
            )}
          </g>
        );
      })}
    </g>
  );
}

function boxesOf(words: string, spot: Spot | undefined): Box[] {
  return spot ? [boxOf(words, spot)] : [];
}

function boxAround(x: number, y: number, r: number): Box {
  return { x0: x - r, x1: x + r, y0: y - r, y1: y + r };
}

/** The stop's two lines of text: where they stand, and what they cover. */
function stopPlace(chart: Chart, { t, words }: Stop) {
  const x = chart.x(t);
  const longest = Math.max(widthOf(words), widthOf(`stop ${t.toFixed(1)} s`));
  const room = chart.right - x > longest + 10;
  const anchor = room ? ("start" as const) : ("end" as const);
  const at = { x: room ? x + 8 : x - 8, anchor };
  return {
    x,
    first: { ...at, y: chart.upper.top + 14 },
    second: { ...at, y: chart.upper.top + 31 },
  };
}

export interface Stop {
  t: number;
  words: string;
}

/** The stop: a line through both panes, and what it was for. */
export function StopMark({ chart, stop }: { chart: Chart; stop: Stop }) {
  const { x, first, second } = stopPlace(chart, stop);
  return (
    <g data-event="stop">
      <path className="event" d={`M${x} ${chart.upper.top}V${chart.base}`} />
      <text className="label" x={first.x} y={first.y} textAnchor={first.anchor}>
        stop <tspan className="strong">{stop.t.toFixed(1)} s</tspan>
      </text>
      <text className="label t-quiet" x={second.x} y={second.y} textAnchor={second.anchor}>
        {stop.words}
      </text>
    </g>
  );
}

/** What of the water's curve stands out of the pane: a spike too short to scale the axis by. */
export function CutSpike({ chart, curves }: { chart: Chart; curves: Curves }) {
  const top = chart.flow.domain()[1] ?? 0;
  const peak = largest(curves.water_in_ml_s);
  if (peak <= top * 1.06) return null;
  const at = curves.time_s[curves.water_in_ml_s.indexOf(peak)] ?? 0;
  return (
    <text
      className="label t-water"
      data-mark="spike"
      x={Math.min(chart.x(at) + 8, chart.right - 8)}
      y={chart.lower.top + 12}
      textAnchor={chart.x(at) > chart.right - 150 ? "end" : "start"}
    >
      brief peak {peak.toFixed(1)} mL/s
    </text>
  );
}

/** A stretch of time shaded in every pane. */
export function Span(props: { chart: Chart; className: string; from_s: number; to_s: number }) {
  const { chart, className, from_s, to_s } = props;
  const [x0, x1] = [chart.x(from_s), chart.x(to_s)];
  const panes = [chart.upper, chart.lower, ...(chart.third ? [chart.third] : [])];
  return panes.map((pane) => (
    <rect
      key={pane.top}
      className={className}
      x={x0}
      width={Math.max(0, x1 - x0)}
      y={pane.top}
      height={pane.bottom - pane.top}
    />
  ));
}

/** What the machine does before any program, greyed. */
export function Preamble({ chart, prediction }: { chart: Chart; prediction: Prediction }) {
  if (!prediction.preamble) return null;
  return (
    <g data-span="preamble">
      <title>Before any program the machine {prediction.preamble}</title>
      <Span chart={chart} className="preamble" from_s={0} to_s={prediction.preamble_s} />
    </g>
  );
}
