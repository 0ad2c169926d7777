import { bisectLeft } from "d3-array";
import { type KeyboardEvent, useState } from "react";
import type { Prediction } from "../../api/client";
import type { Chart } from "../../charts/frame";
import { interpolated } from "../../charts/interpolate";
import { clockZero, useClock } from "../../profile/clock";
import { finenessOf, stepOf } from "../../profile/edits";
import { grams, millilitres, temperature } from "../../ui/units";

interface Props {
  chart: Chart;
  prediction: Prediction;
  select: (index: number) => void;
}

const BOX = { width: 150, line: 17 };
const STEP_S = 0.5;

/** Every value at one instant: under the pointer, or moved along by keys. */
export function Scrub({ chart, prediction, select }: Props) {
  const [t, setT] = useState<number | null>(null);
  const end = prediction.series.time_s.at(-1) ?? 0;
  const clock = useClock((state) => state.clock);
  const rows = t === null ? [] : rowsAt(prediction, t, clockZero(prediction, clock));
  const at = (px: number) => Math.min(end, Math.max(0, chart.timeAt(px)));

  function press(event: KeyboardEvent) {
    const by = { ArrowLeft: -1, ArrowRight: 1, ArrowDown: -1, ArrowUp: 1 }[event.key];
    const ends: Record<string, number> = { Home: 0, End: end };
    if (!by && !(event.key in ends)) return;
    if (event.ctrlKey || event.metaKey) return;
    event.preventDefault();
    event.stopPropagation();
    const from = t ?? prediction.first_drip_s.value ?? 0;
    const to = ends[event.key] ?? from + (by ?? 0) * stepOf(STEP_S, finenessOf(event));
    setT(Math.min(end, Math.max(0, Number(to.toFixed(2)))));
  }

  return (
    <g
      role="slider"
      className="scrub"
      tabIndex={0}
      aria-label="Cursor"
      aria-valuenow={Number((t ?? 0).toFixed(2))}
      aria-valuemin={0}
      aria-valuemax={Number(end.toFixed(2))}
      aria-valuetext={rows.length ? rows.map((row) => row.join(" ")).join(", ") : "none chosen"}
      onKeyDown={press}
      onBlur={() => setT(null)}
      onPointerMove={(event) => {
        if (event.pointerType === "mouse" && event.buttons === 0)
          setT(at(event.nativeEvent.offsetX));
      }}
      onPointerLeave={() => setT(null)}
      onPointerDown={(event) => {
        const moment = at(event.nativeEvent.offsetX);
        setT(moment);
        const index = prediction.phases.findLastIndex(
          (run) => run.start_s !== null && run.start_s <= moment,
        );
        const stopped = moment > (prediction.shot_time_s.value ?? end);
        if (index >= 0) select(stopped ? prediction.phases.length : index);
      }}
    >
      <rect
        className="reach"
        x={chart.left}
        y={chart.upper.top}
        width={chart.right - chart.left}
        height={chart.lower.bottom - chart.upper.top}
      />
      {t !== null && <Readout chart={chart} prediction={prediction} t={t} rows={rows} />}
    </g>
  );
}

function Readout(props: { chart: Chart; prediction: Prediction; t: number; rows: Row[] }) {
  const { chart, prediction, t, rows } = props;
  const x = chart.x(t);
  const { time_s, pressure_bar, water_in_ml_s, cup_out_ml_s, cup_g } = prediction.series;
  const right = x + BOX.width + 16 < chart.right;
  const left = right ? x + 10 : x - BOX.width - 10;
  const top = chart.upper.top + 4;
  const dots: [string, number][] = [
    ["pressure", chart.bar(interpolated(time_s, pressure_bar, t))],
    ["water", chart.flow(interpolated(time_s, water_in_ml_s, t))],
    ["cup", chart.flow(interpolated(time_s, cup_out_ml_s, t))],
    ["weight", chart.grams(interpolated(time_s, cup_g, t))],
  ];
  return (
    <g pointerEvents="none" data-readout>
      <path className="event" d={`M${x} ${chart.upper.top}V${chart.lower.bottom}`} />
      {dots.map(([name, y]) => (
        <circle key={name} className={`seen ${name}`} cx={x} cy={y} r="3.5" />
      ))}
      <rect
        className="readout-box"
        x={left}
        y={top}
        width={BOX.width}
        height={rows.length * BOX.line + 10}
        rx="3"
      />
      {rows.map(([name, value], i) => (
        <g key={name}>
          <text className="label t-quiet" x={left + 8} y={top + 17 + i * BOX.line}>
            {name}
          </text>
          <text
            className="label strong"
            x={left + BOX.width - 8}
            y={top + 17 + i * BOX.line}
            textAnchor="end"
          >
            {value}
          </text>
        </g>
      ))}
    </g>
  );
}

type Row = [name: string, value: string];

function rowsAt(prediction: Prediction, t: number, zero: number): Row[] {
  const { series } = prediction;
  const { time_s } = series;
  const read = (values: number[]) => interpolated(time_s, values, t);
  const i = Math.min(time_s.length - 1, bisectLeft(time_s, t));
  const commanded = series.commanded[i];
  const control = series.control[i];
  const unit = control === "flow" ? "mL/s" : control === "valve" ? "turns" : "bar";
  const rows: Row[] = [["time", `${(t - zero).toFixed(1)} s`]];
  if (commanded != null) rows.push(["commanded", `${commanded.toFixed(1)} ${unit}`]);
  rows.push(
    ["pressure", `${read(series.pressure_bar).toFixed(1)} bar`],
    ["water in", `${read(series.water_in_ml_s).toFixed(1)} mL/s`],
    ["cup out", `${read(series.cup_out_ml_s).toFixed(1)} mL/s`],
    ["pumped", millilitres(read(series.water_ml), 0)],
    ["in the cup", grams(read(series.cup_g), 1)],
    ["strength", `${read(series.tds_pct).toFixed(1)} %`],
    ["puck", temperature(read(series.puck_c), 0)],
  );
  return rows;
}
