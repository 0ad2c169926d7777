import type { Shot, ShotLine } from "../api/client";
import { useTimeFigure } from "../profile/ClockChoice";
import { DataTable } from "../ui/DataTable";
import { FigureName } from "../ui/FigureName";
import { styles } from "../ui/styles";
import { amountNumber, grams, readUnit, temperature } from "../ui/units";

interface Line {
  name: string;
  measured: number | null;
  forecast: number | null;
  digits: number;
  unit: string;
}

/** The figures of a shot beside what was forecast before it. */
export function Figures({ shot }: { shot: Shot }) {
  const { prediction } = shot;
  const time = useTimeFigure();
  const lines: Line[] = [
    {
      name: "Shot time",
      measured: shot[time],
      forecast: prediction[time].value,
      digits: 1,
      unit: "s",
    },
    {
      name: "First drip",
      measured: shot.first_drip_s,
      forecast: prediction.first_drip_s.value,
      digits: 1,
      unit: "s",
    },
    {
      name: "Yield",
      measured: shot.yield_g,
      forecast: prediction.yield_g.value,
      digits: 1,
      unit: "g",
    },
    {
      name: "Ratio",
      measured: shot.ratio,
      forecast: prediction.ratio.value,
      digits: 2,
      unit: ": 1",
    },
    {
      name: "Peak pressure",
      measured: shot.peak_pressure_bar,
      forecast: prediction.peak_pressure_bar.value,
      digits: 1,
      unit: "bar",
    },
    {
      name: "Water used",
      measured: shot.water_in_ml,
      forecast: prediction.water_in_ml.value,
      digits: 1,
      unit: "mL",
    },
    {
      name: "Strength (TDS)",
      measured: shot.tds_pct,
      forecast: prediction.tds_pct.value,
      digits: 1,
      unit: "%",
    },
    {
      name: "Extraction (EY)",
      measured: shot.extraction_yield_pct,
      forecast: prediction.extraction_yield_pct.value,
      digits: 1,
      unit: "%",
    },
  ];
  return (
    <DataTable
      what="Figure"
      heads={["measured", "forecast"]}
      className="w-full [&_thead]:text-[13px] [&_thead]:text-quiet [&_th]:font-normal [&_th]:text-left [&_td]:text-right [&_thead_th:not(:first-child)]:text-right [&_tbody_th]:py-1 [&_tbody_tr]:border-b [&_tbody_tr]:border-rule"
      lines={lines.map((line) => ({
        id: line.name,
        name: <FigureName name={line.name} />,
        "data-figure": line.name,
        cells: [
          <Measured key="measured" {...line} />,
          <span key="forecast" className="text-quiet tabular-nums">
            {line.forecast === null
              ? "unknown"
              : amountNumber(line.forecast, line.unit, line.digits)}
          </span>,
        ],
      }))}
    />
  );
}

function Measured(props: { measured: number | null; digits: number; unit: string }) {
  const { measured, digits, unit } = props;
  if (measured === null) return <span className="text-quiet">unknown</span>;
  return (
    <>
      <b className={styles.fig} data-part="fig">
        {amountNumber(measured, unit, digits)}
      </b>
      <span className="inline-block min-w-7 pl-1 text-left text-[13px] text-quiet">
        {readUnit(unit)}
      </span>
    </>
  );
}

/** The recipe of a shot in one line. */
export function recipeWords(shot: ShotLine) {
  const parts = [
    shot.coffee ?? "coffee unknown",
    `${grams(shot.dose_g, 1)} in`,
    shot.grind_setting === null ? null : `grind ${shot.grind_setting} on ${shot.grinder}`,
    shot.machine,
    temperature(shot.water_c),
  ];
  return parts.filter((part) => part !== null).join(" · ");
}
