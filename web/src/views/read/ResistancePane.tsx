import { scaleLinear } from "d3-scale";
import { line } from "d3-shape";
import type { ShotReading } from "../../api/client";
import { type Chart, niceTop } from "../../charts/frame";

type Derived = NonNullable<ShotReading["reading"]["derived"]>;

const TICKS = 2;

/** The puck's resistance under the two panes, beside what is usual for it at the same weight. */
export function ResistancePane(props: { chart: Chart; derived: Derived; usualIs: string }) {
  const { chart, derived, usualIs } = props;
  const pane = chart.third;
  if (!pane) return null;
  const known = [...derived.resistance, ...derived.usual].filter((one) => one !== null);
  const top = niceTop(Math.max(1.2, ...known), TICKS);
  const y = scaleLinear([0, top], [pane.bottom, pane.top]).clamp(true);
  const path = (values: (number | null)[]) =>
    line<number | null>()
      .defined((value) => value !== null)
      .x((_, i) => chart.x(derived.time_s[i] ?? 0))
      .y((value) => y(value ?? 0))(values) ?? "";
  const last = derived.usual.findLastIndex((value) => value !== null);
  const own = derived.resistance[last] ?? 0;
  const usual = derived.usual[last] ?? 0;
  const above = usual >= own;
  return (
    <g data-pane="resistance">
      {Array.from({ length: TICKS + 1 }, (_, i) => (top / TICKS) * i).map((value) => (
        <g key={value}>
          <path
            className={value === 0 ? "base" : "grid"}
            d={`M${chart.left} ${y(value)}H${chart.right}`}
          />
          <text className="tick" x={chart.left - 8} y={y(value) + 4} textAnchor="end">
            {Number(value.toFixed(2))}
          </text>
        </g>
      ))}
      <path className="trace ghost" d={path(derived.usual)} data-trace="usual" />
      <path className="trace resistance" d={path(derived.resistance)} data-trace="resistance" />
      {last >= 0 && (
        <text
          className="label t-quiet"
          x={chart.x(derived.time_s[last] ?? 0) - 8}
          y={y(usual) + (above ? -7 : 16)}
          textAnchor="end"
        >
          {usualIs}
        </text>
      )}
      <text className="label title" x={chart.left} y={pane.top - 8}>
        Resistance
        <tspan dx="7" className="t-quiet" fontWeight="400">
          {chart.width < 480 ? "of the puck" : "of the puck, 1 at a third of the cup"}
        </tspan>
      </text>
    </g>
  );
}
