import { memo, type ReactNode, useMemo } from "react";
import { amountNumber, amountSize, readUnit } from "../ui/units";
import { useSize } from "../ui/useSize";
import { type Axis, axisStep, type Chart, chartOf, type Extent, niceTicks, PUMP_ON } from "./frame";
import { useMarkId } from "./ids";

// Layout and paint stay inside: a chart redraws with every frame of a drag.
const PLACE =
  "relative min-h-75 flex-[1_1_396px] overflow-hidden [contain:layout_style_paint] max-phone:h-[420px] max-phone:flex-none";

interface Props {
  /** What the chart shows, for those who cannot see it. */
  label: string;
  extent: Extent;
  axis?: Axis;
  pressureTitle?: string;
  /** Room for a third, shorter pane under the two. */
  third?: boolean;
  children: (chart: Chart) => ReactNode;
  className?: string;
}

/** Pressure above, flow and cup weight below, on one clock. Draws the frame; views add the marks. */
export function ShotChart({
  label,
  extent,
  axis = PUMP_ON,
  pressureTitle = "Pressure at the puck",
  third = false,
  ...rest
}: Props) {
  const [ref, { width, height }] = useSize<HTMLDivElement>();
  const { seconds, bar, flow, grams, amount } = extent;
  // The same places as long as nothing moves them: what stands still need not be drawn again.
  const chart = useMemo(
    () =>
      chartOf(
        width,
        height,
        { seconds, bar, flow, grams, ...(amount === undefined ? {} : { amount }) },
        axis,
        third,
      ),
    [width, height, seconds, bar, flow, grams, amount, axis, third],
  );
  const clip = useMarkId("plot");
  return (
    <div ref={ref} data-ui="shot-chart" className={PLACE}>
      {width > 0 && height > 0 && (
        <svg
          className="chart absolute inset-0"
          width={width}
          height={height}
          role="img"
          aria-label={label}
        >
          <Defs />
          <clipPath id={clip}>
            <rect x={0} y={0} width={chart.right + 5} height={height} />
          </clipPath>
          <Axes chart={chart} />
          <g clipPath={`url(#${clip})`}>{rest.children(chart)}</g>
          <Titles chart={chart} pressureTitle={pressureTitle} />
        </svg>
      )}
    </div>
  );
}

function Defs() {
  return (
    <defs>
      <pattern
        id="strip"
        width="6"
        height="6"
        patternUnits="userSpaceOnUse"
        patternTransform="rotate(45)"
      >
        <path d="M0 0V6" className="strip-line" />
      </pattern>
    </defs>
  );
}

/** What the panes show, over the marks: where these come close, the words are still read. */
const Titles = memo(function Titles(props: { chart: Chart; pressureTitle: string }) {
  const { left, upper, lower } = props.chart;
  return (
    <g>
      <PaneTitle x={left} y={upper.top - 14} words={props.pressureTitle} unit="bar" />
      <PaneTitle x={left} y={lower.top - 10} words="Flow" unit="mL/s" />
    </g>
  );
});

const Axes = memo(function Axes({ chart }: { chart: Chart }) {
  const { left, right, bar, flow, grams } = chart;
  const bars = niceTicks(bar, 5);
  const flows = niceTicks(flow, 4);
  const inGrams = readUnit("g") === "g";
  return (
    <g>
      {bars.map((value) => (
        <g key={value}>
          <path className={value === 0 ? "base" : "grid"} d={`M${left} ${bar(value)}H${right}`} />
          <text className="tick" x={left - 8} y={bar(value) + 4} textAnchor="end">
            {Number(value.toFixed(2))}
          </text>
        </g>
      ))}
      {flows.map((value, i) => (
        <g key={value}>
          <path className={value === 0 ? "base" : "grid"} d={`M${left} ${flow(value)}H${right}`} />
          <text className="tick" x={left - 8} y={flow(value) + 4} textAnchor="end">
            {Number(value.toFixed(2))}
          </text>
          <text className="tick" x={right + 8} y={flow(value) + 4}>
            {Number(amountNumber((grams.domain()[1] ?? 0) * (i / 4), "g", inGrams ? 1 : 0))}
            {i === 4 && inGrams && " g"}
          </text>
          {i === 4 && !inGrams && (
            <text className="tick" x={right + 8} y={flow(value) - 10}>
              {readUnit("g")}
            </text>
          )}
        </g>
      ))}
      <Along chart={chart} />
    </g>
  );
});

function PaneTitle({ x, y, words, unit }: { x: number; y: number; words: string; unit: string }) {
  return (
    <text x={x} y={y} className="label title">
      {words}
      <tspan dx="7" className="t-quiet" fontWeight="400">
        {unit}
      </tspan>
    </text>
  );
}

/** The axis: spans filled and open in turn, like the edge of a sea chart. */
function Along({ chart }: { chart: Chart }) {
  const { along, axis, base, left, right } = chart;
  const unit = { seconds: "s", water: "mL", cup: "g" }[axis.by];
  const step = axisStep(chart, amountSize(unit));
  const zero = axis.by === "seconds" ? axis.zero_s : 0;
  const end = along.domain()[1] ?? 0;
  const half = step / 2;
  const first = Math.ceil(-zero / half);
  const spans = Array.from({ length: Math.ceil((end - zero) / half) - first }, (_, i) => i + first)
    .filter((i) => i % 2 === 0)
    .map((i) => [Math.max(0, zero + i * half), Math.min(end, zero + (i + 1) * half)] as const);
  const lowest = Math.ceil(-zero / step);
  const marks = Array.from(
    { length: Math.floor((end - zero) / step) - lowest + 1 },
    (_, i) => (i + lowest) * step,
  );
  return (
    <g>
      {spans.map(([from, to]) => (
        <rect
          key={from}
          className="neat"
          x={along(from)}
          y={base + 1}
          width={along(to) - along(from)}
          height={3}
        />
      ))}
      {marks
        .filter((value) => along(zero + value) < right - 52 && along(zero + value) >= left)
        .map((value) => (
          <text
            key={value}
            className="tick"
            x={along(zero + value)}
            y={base + 19}
            textAnchor="middle"
          >
            {Number(amountNumber(value, unit, 1))}
          </text>
        ))}
      <text className="tick" x={right} y={base + 19} textAnchor="end">
        {Number(amountNumber(end - zero, unit, 0))} {readUnit(unit)}
      </text>
    </g>
  );
}
