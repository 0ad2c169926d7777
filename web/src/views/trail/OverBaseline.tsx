import { useQuery } from "@tanstack/react-query";
import { max } from "d3-array";
import { scaleLinear } from "d3-scale";
import { line } from "d3-shape";
import type { Shot } from "../../api/client";
import { shotQuery } from "../../api/queries";

const [WIDTH, HEIGHT, FLOOR] = [268, 132, 112];

/** A shot's pressure and flow, and the baseline's in grey. */
export function OverBaseline({ id, over }: { id: number; over: number | null }) {
  const shot = useQuery(shotQuery(id));
  const other = useQuery({ ...shotQuery(over ?? 0), enabled: over !== null });
  const both = [other.data, shot.data].filter((one): one is Shot => one !== undefined);
  if (!shot.data) return <div style={{ height: HEIGHT }} aria-hidden="true" />;
  const end = Math.max(5, ...both.map((one) => one.shot_time_s ?? one.traces.time_s.at(-1) ?? 0));
  const most = (of: "pressure_bar" | "cup_out_ml_s", least: number) =>
    Math.max(least, ...both.map((one) => max(one.traces[of], (v) => v ?? 0) ?? 0));
  const x = scaleLinear([0, end], [0, WIDTH]);
  const path = (one: Shot, of: "pressure_bar" | "cup_out_ml_s", top: number) => {
    const y = scaleLinear([0, top], [FLOOR, 4]);
    const points = one.traces.time_s.flatMap((t, i): [number, number | null][] =>
      t <= end ? [[t, one.traces[of][i] ?? null]] : [],
    );
    return (
      line<[number, number | null]>()
        .defined(([, value]) => value !== null)
        .x(([t]) => x(t))
        .y(([, value]) => y(value ?? 0))(points) ?? undefined
    );
  };
  const [bar, flow] = [most("pressure_bar", 9), most("cup_out_ml_s", 3)];
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="block w-full shrink-0"
      role="img"
      aria-label={
        over === null ? "Pressure and flow" : "Pressure and flow, those of the baseline in grey"
      }
    >
      <line x2={WIDTH} y1={FLOOR} y2={FLOOR} stroke="var(--rule)" />
      {other.data && over !== null && (
        <g fill="none" stroke="var(--edge)" strokeWidth="1.25">
          <path d={path(other.data, "pressure_bar", bar)} />
          <path d={path(other.data, "cup_out_ml_s", flow)} strokeDasharray="3 2" />
        </g>
      )}
      <path
        d={path(shot.data, "cup_out_ml_s", flow)}
        fill="none"
        stroke="var(--cup)"
        strokeWidth="1.5"
      />
      <path
        d={path(shot.data, "pressure_bar", bar)}
        fill="none"
        stroke="var(--pressure)"
        strokeWidth="2"
      />
      <g fontSize="12" fill="var(--quiet)" className="font-mono">
        <text x="0" y={HEIGHT - 5}>
          0
        </text>
        <text x={WIDTH} y={HEIGHT - 5} textAnchor="end">
          {end.toFixed(0)} s
        </text>
      </g>
    </svg>
  );
}
