import { Link } from "react-router";
import type { ForecastRecord, Taught } from "../../api/client";
import { moment } from "../../ui/format";
import { Panel } from "../../ui/Panel";
import { useSize } from "../../ui/useSize";

const HEIGHT = 250;
const TOP = 14;
const BOTTOM = 40;
const LEFT = 44;
const TICKS = 5;

/** The last forecasts as they were made before their shots, beside what happened. */
export function PastForecasts(props: { record: ForecastRecord; drift: Taught["drift"] }) {
  const { record, drift } = props;
  const lines = [...record.lines].reverse();
  return (
    <Panel name="Forecasts and what happened">
      {lines.length === 0 ? (
        <p className="text-quiet">
          No shot that ran as planned, without a hand on it, had a forecast with a range yet.
        </p>
      ) : (
        <>
          <p data-part="record">
            <b>
              {record.within} of the last {lines.length}
            </b>{" "}
            shot times fell within the range that was given before the pull; 8 in 10 should.
          </p>
          <Row lines={lines} />
          <p className="text-small text-quiet">
            Bars: the range before the pull,{" "}
            {lines.some((one) => one.learnt_shots > 0) && "green where it had learnt from shots, "}
            with the forecast as a line. Dots and crosses: what was measured.
          </p>
        </>
      )}
      {drift && (
        <p className="text-warn" data-part="drift">
          The last {drift.shots} shots all ran {drift.slower ? "slower" : "faster"} than forecast,
          by {drift.time_pct.toFixed(0)} %. Something may have changed: burrs, bag, water, dose or
          basket.
        </p>
      )}
    </Panel>
  );
}

type Line = ForecastRecord["lines"][number];

function Row({ lines }: { lines: Line[] }) {
  const [ref, size] = useSize<HTMLElement>();
  const width = Math.max(280, size.width);
  const low = Math.min(...lines.map((one) => Math.min(one.p10, one.measured)));
  const high = Math.max(...lines.map((one) => Math.max(one.p90, one.measured)));
  const ticks = ticksBetween(low, high);
  const bottom = Math.min(low, ticks[0] ?? low) - (high - low) * 0.04;
  const top = Math.max(high, ticks.at(-1) ?? high) + (high - low) * 0.04;
  const y = (seconds: number) =>
    TOP + ((HEIGHT - TOP - BOTTOM) * (top - seconds)) / Math.max(1e-6, top - bottom);
  const step = (width - LEFT - 12) / lines.length;
  const x = (i: number) => LEFT + step * (i + 0.5);
  return (
    <figure ref={ref} className="min-w-0">
      <svg width="100%" height={HEIGHT} className="block">
        <title>Forecast range and measured time of the last shots</title>
        {ticks.map((tick) => (
          <g key={tick}>
            <line x1={LEFT - 4} x2={width - 8} y1={y(tick)} y2={y(tick)} stroke="var(--rule)" />
            <text
              x={LEFT - 8}
              y={y(tick) + 4}
              textAnchor="end"
              fontSize="12"
              fill="var(--quiet)"
              className="font-mono"
            >
              {tick} s
            </text>
          </g>
        ))}
        {lines.map((line, i) => (
          <Shot key={line.shot_id} line={line} x={x(i)} y={y} half={Math.min(11, step / 3)} />
        ))}
        <text x={LEFT} y={HEIGHT - 8} fontSize="12" fill="var(--quiet)">
          {moment(lines[0]?.started_at ?? "")}
        </text>
        {lines.length > 1 && (
          <text x={width - 12} y={HEIGHT - 8} textAnchor="end" fontSize="12" fill="var(--quiet)">
            {moment(lines.at(-1)?.started_at ?? "")}
          </text>
        )}
      </svg>
    </figure>
  );
}

function Shot(props: { line: Line; x: number; y: (seconds: number) => number; half: number }) {
  const { line, x, y, half } = props;
  const within = line.measured >= line.p10 && line.measured <= line.p90;
  const learnt = line.learnt_shots > 0;
  const words = `Shot ${line.shot_id}, ${line.profile}: ${line.p10.toFixed(1)} to ${line.p90.toFixed(1)} s forecast, ${line.measured.toFixed(1)} s measured${learnt ? `, learnt from ${line.learnt_shots}` : ""}`;
  return (
    <Link to={`/read/${line.shot_id}`} aria-label={words} data-within={within}>
      <title>{words}</title>
      <rect
        x={x - half}
        width={2 * half}
        y={y(line.p90)}
        height={Math.max(2, y(line.p10) - y(line.p90))}
        rx="2"
        fill={learnt ? "var(--action)" : "var(--edge)"}
        fillOpacity="0.28"
      />
      <line
        x1={x - half}
        x2={x + half}
        y1={y(line.value)}
        y2={y(line.value)}
        stroke={learnt ? "var(--action)" : "var(--edge)"}
        strokeWidth="2"
      />
      {within ? (
        <circle cx={x} cy={y(line.measured)} r="4.5" fill="var(--ink)" />
      ) : (
        <path
          d={`M${x - 5} ${y(line.measured) - 5}l10 10m0 -10l-10 10`}
          stroke="var(--stop)"
          strokeWidth="2.5"
        />
      )}
      <text
        x={x}
        y={HEIGHT - BOTTOM + 16}
        textAnchor="middle"
        fontSize="12"
        fill="var(--quiet)"
        className="font-mono"
      >
        {line.shot_id}
      </text>
    </Link>
  );
}

function ticksBetween(low: number, high: number) {
  const rough = Math.max(0.5, (high - low) / TICKS);
  const step = [1, 2, 5, 10, 20, 50].find((one) => one >= rough) ?? 100;
  const first = Math.ceil(low / step) * step;
  return Array.from({ length: TICKS + 2 }, (_, i) => first + i * step).filter((one) => one <= high);
}
