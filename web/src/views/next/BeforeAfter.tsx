import type { NextChange } from "../../api/client";

/** Pressure before, pale, and after a change, on one scale. */
export function BeforeAfter(props: {
  change: NextChange;
  width: number;
  height: number;
  axis?: boolean;
}) {
  const { change, width, height, axis = false } = props;
  const { before, after } = change;
  const last = Math.max(before.time_s.at(-1) ?? 1, after.time_s.at(-1) ?? 1);
  const top = Math.max(1, ...before.pressure_bar, ...after.pressure_bar) * 1.05;
  const floor = axis ? height - 18 : height - 2;
  const path = ({ time_s, pressure_bar }: NextChange["before"]) =>
    time_s
      .map((t, i) => {
        const y = floor - ((floor - 2) * (pressure_bar[i] ?? 0)) / top;
        return `${i === 0 ? "M" : "L"}${((width * t) / last).toFixed(1)} ${y.toFixed(1)}`;
      })
      .join("");
  return (
    <svg
      width="100%"
      viewBox={`0 0 ${width} ${height}`}
      role="img"
      aria-label="Pressure before and after"
      className="block max-w-full"
    >
      <line x1="0" x2={width} y1={floor} y2={floor} stroke="var(--rule)" />
      <path d={path(before)} fill="none" stroke="var(--edge)" strokeWidth="1.25" />
      <path d={path(after)} fill="none" stroke="var(--pressure)" strokeWidth="1.75" />
      {axis && (
        <>
          <text x="0" y={height - 3} fontSize="12" fill="var(--quiet)" className="font-mono">
            0
          </text>
          <text
            x={width}
            y={height - 3}
            fontSize="12"
            textAnchor="end"
            fill="var(--quiet)"
            className="font-mono"
          >
            {last.toFixed(0)} s
          </text>
        </>
      )}
    </svg>
  );
}
