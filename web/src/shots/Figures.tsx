import type { Shot, ShotLine } from "../api/client";
import { FigureName } from "../ui/FigureName";
import { fixed } from "../ui/format";
import { styles } from "../ui/styles";

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
  const lines: Line[] = [
    {
      name: "Shot time",
      measured: shot.shot_time_s,
      forecast: prediction.shot_time_s.value,
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
    <table className="w-full">
      <thead>
        <tr className="text-left text-[13px] text-quiet">
          <th className="font-normal">
            <span className="sr-only">Figure</span>
          </th>
          <th className="text-right font-normal">measured</th>
          <th className="text-right font-normal">forecast</th>
        </tr>
      </thead>
      <tbody>
        {lines.map((line) => (
          <tr key={line.name} className="border-b border-rule" data-figure={line.name}>
            <th className="py-1 text-left font-normal">
              <FigureName name={line.name} />
            </th>
            <td className="text-right">
              {line.measured === null ? (
                <span className="text-quiet">unknown</span>
              ) : (
                <>
                  <b className={styles.fig} data-part="fig">
                    {line.measured.toFixed(line.digits)}
                  </b>
                  <span className="inline-block w-7 pl-1 text-left text-[13px] text-quiet">
                    {line.unit}
                  </span>
                </>
              )}
            </td>
            <td className="text-right text-quiet tabular-nums">
              {fixed(line.forecast, line.digits)}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** The recipe of a shot in one line. */
export function recipeWords(shot: ShotLine) {
  const parts = [
    shot.coffee ?? "no coffee said",
    `${shot.dose_g.toFixed(1)} g in`,
    shot.grind_setting === null ? null : `grind ${shot.grind_setting} on ${shot.grinder}`,
    shot.machine,
    `${shot.water_c} °C`,
  ];
  return parts.filter((part) => part !== null).join(" · ");
}
