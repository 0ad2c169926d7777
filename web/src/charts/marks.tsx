import type { Chart } from "./frame";
import { placed, type Spot, type Wanted } from "./labels";
import {
  between,
  betweenPath,
  type Channel,
  type Curves,
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
    <g>
      {channels.map((channel) => (
        <g key={channel} data-trace={channel}>
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
      ))}
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

/** The range a curve is expected within, fading towards its later end. */
export function Band(props: {
  chart: Chart;
  time_s: number[];
  low: number[];
  high: number[];
  channel: Channel;
}) {
  const { chart, time_s, low, high, channel } = props;
  const y = scaleFor(chart, channel);
  const d = betweenPath(
    chart,
    time_s,
    (i) => y(low[i] ?? 0),
    (i) => y(high[i] ?? 0),
    time_s.map((_, i) => i),
  );
  return <path className={`band ${STROKES[channel]}`} d={d} />;
}

/** Labels on the traces, placed where they are free; no legend is needed. */
export function TraceLabels(props: {
  chart: Chart;
  curves: Curves;
  names?: Partial<Record<Channel, string>>;
  others?: Wanted[];
  also?: Curves[];
  classes?: Record<string, string>;
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
  const spots = placed(wanted, points, bounds);
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

/** Places along a curve, a little above and below it, the best first: where it is high and early. */
export function spotsOn(chart: Chart, curves: Curves, channel: Channel): Spot[] {
  const end = curves.time_s.at(-1) ?? 0;
  const y = scaleFor(chart, channel);
  const shares =
    channel === "cup_g" ? [0.7, 0.6, 0.8, 0.5, 0.9] : [0.5, 0.62, 0.4, 0.75, 0.3, 0.15, 0.05];
  return shares.flatMap((share) => {
    const t = share * end;
    const value = valueAt(curves.time_s, curves[channel], t);
    if (value === undefined || value <= 0) return [];
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
    i % stride === 0 ? [[chart.x(t), y(curves[channel][i] ?? 0)]] : [],
  );
}

export interface LaneMark {
  id: string;
  t: number;
  name: string;
  value: string;
  open?: boolean;
}

/** Events in the lane between the panes: a dot each, its name beside it where there is room. */
export function Lane({ chart, marks }: { chart: Chart; marks: LaneMark[] }) {
  const y = (chart.lane.top + chart.lane.bottom) / 2 + 7;
  const inOrder = [...marks].sort((a, b) => a.t - b.t);
  const dots = inOrder.map((mark): [number, number] => [chart.x(mark.t), y - 4]);
  const wanted = inOrder.map(({ id, t, name, value }) => ({
    id,
    words: `${name} ${value}`,
    spots: [
      { x: chart.x(t) + 9, y, anchor: "start" as const },
      { x: chart.x(t) - 9, y, anchor: "end" as const },
    ],
  }));
  const title = {
    id: "title",
    words: "Flow mL/s ",
    spots: [{ x: chart.left, y, anchor: "start" as const }],
  };
  const bounds = { x0: 0, x1: chart.width, y0: chart.lane.top - 4, y1: chart.lane.bottom + 6 };
  const spots = placed([title, ...wanted], dots, bounds);
  return (
    <g>
      {inOrder.map((mark) => {
        const spot = spots.get(mark.id);
        return (
          <g key={mark.id} data-event={mark.id}>
            <path className="event" d={`M${chart.x(mark.t)} ${y - 4}V${chart.lower.bottom}`} />
            <circle
              className={mark.open ? "dot open" : "dot"}
              cx={chart.x(mark.t)}
              cy={y - 4}
              r="3.5"
            />
            {spot && (
              <text className="label" x={spot.x} y={spot.y} textAnchor={spot.anchor}>
                {mark.name} <tspan className="strong">{mark.value}</tspan>
              </text>
            )}
          </g>
        );
      })}
    </g>
  );
}

/** The stop: a line through both panes, and what it was for. */
export function StopMark({ chart, t, words }: { chart: Chart; t: number; words: string }) {
  const x = chart.x(t);
  const room = chart.right - x > 96;
  return (
    <g data-event="stop">
      <path className="event" d={`M${x} ${chart.upper.top}V${chart.lower.bottom}`} />
      <text
        className="label"
        x={room ? x + 8 : x - 8}
        y={chart.upper.top + 14}
        textAnchor={room ? "start" : "end"}
      >
        stop <tspan className="strong">{t.toFixed(1)} s</tspan>
      </text>
      <text
        className="label t-quiet"
        x={room ? x + 8 : x - 8}
        y={chart.upper.top + 31}
        textAnchor={room ? "start" : "end"}
      >
        {words}
      </text>
    </g>
  );
}
