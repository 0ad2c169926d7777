import { type ScaleLinear, scaleLinear } from "d3-scale";
import type { ReactNode } from "react";
import { readScale, readUnit } from "../../ui/units";
import { useSize } from "../../ui/useSize";

const SMALL = 210;
/** How high the picture is that a page opens with. */
export const LARGE = 290;
const [LEFT, MARGIN, TOP, BOTTOM] = [44, 12, 26, 34];
const RIGHT_SCALE = 40;
const NARROW = 380;

export interface Plot {
  x: ScaleLinear<number, number>;
  y: ScaleLinear<number, number>;
  yRight: ScaleLinear<number, number>;
  left: number;
  right: number;
  top: number;
  bottom: number;
}

/** A plot of the Shelf: two axes with their names, and what stands between them. */
export function PlotFrame(props: {
  label: string;
  xName: string;
  yName: string;
  xs: [number, number];
  ys: [number, number];
  height?: number;
  /** A second scale at the right, with its name. */
  right?: { name: string; range: [number, number] };
  /** What lies in it can be reached by the keyboard. */
  reachable?: boolean;
  children: (plot: Plot) => ReactNode;
}) {
  const { label, xName, yName, xs, ys, height = SMALL, right, reachable = false, children } = props;
  const [ref, { width }] = useSize<HTMLDivElement>();
  const end = width - (right ? RIGHT_SCALE : MARGIN);
  const bottom = height - BOTTOM;
  const x = scaleLinear(xs, [LEFT, end]).nice(6);
  const y = scaleLinear(ys, [bottom, TOP]).nice(4);
  const yRight = scaleLinear(right?.range ?? [0, 1], [bottom, TOP]).nice(4);
  const xAxis = axisRead(xName, x, width < NARROW ? 4 : 6);
  const yAxis = axisRead(yName, y, 4);
  return (
    <div ref={ref} className="fit-plot" style={{ height }}>
      {width > 0 && (
        <svg width={width} height={height} role={reachable ? "group" : "img"} aria-label={label}>
          {yAxis.ticks.map(({ at, read }) => (
            <g key={read}>
              <line className="grid" x1={LEFT} x2={end} y1={y(at)} y2={y(at)} />
              <text className="tick" x={LEFT - 8} y={y(at) + 4} textAnchor="end">
                {read}
              </text>
            </g>
          ))}
          {xAxis.ticks.map(({ at, read }) => (
            <text key={read} className="tick" x={x(at)} y={bottom + 16} textAnchor="middle">
              {read}
            </text>
          ))}
          <text x={LEFT} y={14}>
            {yAxis.name}
          </text>
          <text x={end} y={height - 3} textAnchor="end">
            {xAxis.name}
          </text>
          {right && <RightScale name={right.name} scale={yRight} at={end} />}
          {children({ x, y, yRight, left: LEFT, right: end, top: TOP, bottom })}
        </svg>
      )}
    </div>
  );
}

/** An axis named with its unit, "boiler, °C", and its ticks where they are round as it is read. */
function axisRead(name: string, scale: ScaleLinear<number, number>, count: number) {
  const [what, unit = ""] = name.split(", ");
  const { shown, stored } = readScale(unit);
  const [low = 0, high = 1] = scale.domain();
  const ticks = scaleLinear([shown(low), shown(high)], scale.range()).ticks(count);
  return {
    name: unit ? `${what}, ${readUnit(unit)}` : name,
    ticks: ticks.map((read) => ({ at: stored(read), read })),
  };
}

function RightScale(props: { name: string; scale: ScaleLinear<number, number>; at: number }) {
  const { name, scale, at } = props;
  return (
    <>
      {scale.ticks(4).map((tick) => (
        <text key={tick} className="tick" x={at + 8} y={scale(tick) + 4}>
          {tick}
        </text>
      ))}
      <text x={at + RIGHT_SCALE} y={14} textAnchor="end">
        {name}
      </text>
    </>
  );
}

/** The room that a plot takes. */
export function PlotPlace({ height = LARGE }: { height?: number | undefined }) {
  return <div className="fit-plot" style={{ height }} aria-hidden="true" />;
}

/** A curve through points of two lists. */
export function curvePath({ x, y }: Pick<Plot, "x" | "y">, xs: number[], ys: number[]) {
  return xs
    .map((at, i) => `${i ? "L" : "M"}${x(at).toFixed(1)} ${y(ys[i] ?? 0).toFixed(1)}`)
    .join("");
}
