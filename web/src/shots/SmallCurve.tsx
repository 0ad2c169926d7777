import { max } from "d3-array";
import { scaleLinear } from "d3-scale";
import { line } from "d3-shape";
import type { Shot } from "../api/client";

/** A shot's pressure, and its flow into the cup, small beside its name. */
export function SmallCurve(props: {
  traces: Shot["traces"];
  /** When the shot stopped: what drips after it is not drawn. */
  stop_s: number | null;
  width?: number;
  height?: number;
}) {
  const { traces, stop_s, width = 84, height = 48 } = props;
  const { time_s } = traces;
  const end = stop_s ?? time_s.at(-1) ?? 1;
  const x = scaleLinear([0, end], [0, width]);
  const path = (values: (number | null)[], top: number) => {
    const y = scaleLinear([0, top], [height - 3, 3]);
    const points = values.flatMap((value, i): [number, number | null][] =>
      (time_s[i] ?? 0) <= end ? [[time_s[i] ?? 0, value]] : [],
    );
    return (
      line<[number, number | null]>()
        .defined(([, value]) => value !== null)
        .x(([t]) => x(t))
        .y(([, value]) => y(value ?? 0))(points) ?? undefined
    );
  };
  return (
    <svg width={width} height={height} aria-hidden="true" className="shrink-0 overflow-visible">
      <line x2={width} y1={height - 3} y2={height - 3} stroke="var(--rule)" />
      <path
        d={path(traces.cup_out_ml_s, Math.max(4, max(traces.cup_out_ml_s, (v) => v ?? 0) ?? 4))}
        fill="none"
        stroke="var(--cup)"
        strokeWidth="1.25"
      />
      <path
        d={path(traces.pressure_bar, Math.max(9, max(traces.pressure_bar, (v) => v ?? 0) ?? 9))}
        fill="none"
        stroke="var(--pressure)"
        strokeWidth="1.75"
      />
    </svg>
  );
}
