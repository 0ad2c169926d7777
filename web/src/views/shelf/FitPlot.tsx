import type { CalibrationFit } from "../../api/client";
import { curvePath, type Plot, PlotFrame } from "./PlotFrame";

/** What was measured as squares, slips crossed out, and the curve through the rest. */
export function FitPlot({ fitted }: { fitted: CalibrationFit }) {
  const xs = [...fitted.points.map((one) => one.x), ...fitted.curve_x];
  const ys = [...fitted.points.map((one) => one.y), ...fitted.curve_y];
  return (
    <PlotFrame
      label={`${fitted.y_name} by ${fitted.x_name}: ${fitted.words.join("; ")}`}
      xName={fitted.x_name}
      yName={fitted.y_name}
      xs={[Math.min(...xs), Math.max(...xs)]}
      ys={[narrow(ys) ? Math.min(...ys) : Math.min(0, ...ys), Math.max(...ys)]}
    >
      {(plot) => (
        <>
          <path className="curve" d={curvePath(plot, fitted.curve_x, fitted.curve_y)} />
          <MeasuredPoints plot={plot} points={fitted.points} />
        </>
      )}
    </PlotFrame>
  );
}

/** Whether nought lies so far off that it would flatten what is drawn. */
function narrow(ys: number[]) {
  return Math.min(...ys) > (2 / 3) * Math.max(...ys);
}

/** What was measured as squares, slips crossed out. */
export function MeasuredPoints({ plot, points }: { plot: Plot; points: CalibrationFit["points"] }) {
  return points.map((one, i) => (
    <g
      // biome-ignore lint/suspicious/noArrayIndexKey: points are their rows
      key={i}
      className={one.outlier ? "slip" : "point"}
      transform={`translate(${plot.x(one.x).toFixed(1)} ${plot.y(one.y).toFixed(1)})`}
    >
      {one.outlier ? (
        <path d="M-5 -5L5 5M-5 5L5 -5" />
      ) : (
        <rect x="-3.5" y="-3.5" width="7" height="7" />
      )}
    </g>
  ));
}
