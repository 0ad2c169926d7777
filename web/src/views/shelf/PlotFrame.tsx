import { type ScaleLinear, scaleLinear } from "d3-scale";
import type { ReactNode } from "react";

const [WIDTH, HEIGHT] = [420, 210];
const [LEFT, RIGHT, TOP, BOTTOM] = [44, 12, 26, 34];

export interface Plot {
  x: ScaleLinear<number, number>;
  y: ScaleLinear<number, number>;
  left: number;
  right: number;
  top: number;
  bottom: number;
}

/** A small plot of the Shelf: two axes with their names, and what stands between them. */
export function PlotFrame(props: {
  label: string;
  xName: string;
  yName: string;
  xs: [number, number];
  ys: [number, number];
  children: (plot: Plot) => ReactNode;
}) {
  const x = scaleLinear(props.xs, [LEFT, WIDTH - RIGHT]).nice(6);
  const y = scaleLinear(props.ys, [HEIGHT - BOTTOM, TOP]).nice(4);
  const plot = { x, y, left: LEFT, right: WIDTH - RIGHT, top: TOP, bottom: HEIGHT - BOTTOM };
  return (
    <svg
      className="fit-plot"
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      role="img"
      aria-label={props.label}
    >
      {y.ticks(4).map((tick) => (
        <g key={tick}>
          <line className="grid" x1={LEFT} x2={WIDTH - RIGHT} y1={y(tick)} y2={y(tick)} />
          <text className="tick" x={LEFT - 8} y={y(tick) + 4} textAnchor="end">
            {tick}
          </text>
        </g>
      ))}
      {x.ticks(6).map((tick) => (
        <text key={tick} className="tick" x={x(tick)} y={HEIGHT - BOTTOM + 16} textAnchor="middle">
          {tick}
        </text>
      ))}
      <text x={LEFT} y={14}>
        {props.yName}
      </text>
      <text x={WIDTH - RIGHT} y={HEIGHT - 3} textAnchor="end">
        {props.xName}
      </text>
      {props.children(plot)}
    </svg>
  );
}

/** The room that a plot takes. */
export function PlotPlace({ height = HEIGHT }: { height: number | undefined }) {
  return <svg className="fit-plot" viewBox={`0 0 ${WIDTH} ${height}`} aria-hidden="true" />;
}

/** A curve through points of two lists. */
export function curvePath({ x, y }: Plot, xs: number[], ys: number[]) {
  return xs
    .map((at, i) => `${i ? "L" : "M"}${x(at).toFixed(1)} ${y(ys[i] ?? 0).toFixed(1)}`)
    .join("");
}
