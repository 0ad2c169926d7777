import { scaleLinear } from "d3-scale";
import type { CalibrationFit } from "../../api/client";

const [WIDTH, HEIGHT] = [420, 210];
const [LEFT, RIGHT, TOP, BOTTOM] = [44, 12, 26, 34];

/** What was measured as squares, slips crossed out, and the curve through the rest. */
export function FitPlot({ fitted }: { fitted: CalibrationFit }) {
  const xs = [...fitted.points.map((one) => one.x), ...fitted.curve_x];
  const ys = [...fitted.points.map((one) => one.y), ...fitted.curve_y];
  const x = scaleLinear([Math.min(...xs), Math.max(...xs)], [LEFT, WIDTH - RIGHT]).nice(6);
  const y = scaleLinear([Math.min(0, ...ys), Math.max(...ys)], [HEIGHT - BOTTOM, TOP]).nice(4);
  const path = fitted.curve_x
    .map((at, i) => `${i ? "L" : "M"}${x(at).toFixed(1)} ${y(fitted.curve_y[i] ?? 0).toFixed(1)}`)
    .join("");
  return (
    <svg
      className="fit-plot"
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      role="img"
      aria-label={`${fitted.y_name} by ${fitted.x_name}: ${fitted.words.join("; ")}`}
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
        {fitted.y_name}
      </text>
      <text x={WIDTH - RIGHT} y={HEIGHT - 3} textAnchor="end">
        {fitted.x_name}
      </text>
      <path className="curve" d={path} />
      {fitted.points.map((one, i) => (
        <g
          // biome-ignore lint/suspicious/noArrayIndexKey: points are their rows
          key={i}
          className={one.outlier ? "slip" : "point"}
          transform={`translate(${x(one.x).toFixed(1)} ${y(one.y).toFixed(1)})`}
        >
          {one.outlier ? (
            <path d="M-5 -5L5 5M-5 5L5 -5" />
          ) : (
            <rect x="-3.5" y="-3.5" width="7" height="7" />
          )}
        </g>
      ))}
    </svg>
  );
}
