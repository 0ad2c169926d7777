import type { ShotReading } from "../../api/client";
import { DataTable } from "../../ui/DataTable";
import { amountNumber, apartNumber, readUnit } from "../../ui/units";
import { Fold } from "./Findings";

/** How the shot lay in its forecast, and among its repeats. */
export function Repeats({ read }: { read: ShotReading }) {
  const rows = read.repeats.filter((row) => row.deviation !== null);
  const pulls = Math.max(0, ...rows.map((row) => row.pulls));
  return (
    <section aria-label="How it repeats" className="border-t border-rule">
      <p className="flex justify-between py-2">
        <span>Within forecast</span>
        <span className="tabular-nums" data-part="within">
          {read.within_forecast_pct === null
            ? "unknown"
            : `${read.within_forecast_pct} % of the time`}
        </span>
      </p>
      {pulls > 0 && (
        <Fold words={`How it repeats, ${pulls} pulls`}>
          <DataTable
            what="Figure"
            heads={["this", "mean", "±"]}
            className="mb-2 w-full [&_tbody_th]:py-0.5 [&_td]:text-right [&_td]:tabular-nums [&_th]:text-left [&_th]:font-normal [&_thead]:text-[13px] [&_thead]:text-quiet [&_thead_th:not(:first-child)]:text-right"
            lines={rows.map((row) => ({
              id: row.figure,
              name: `${row.name}, ${readUnit(row.unit)}`,
              "data-repeat": row.figure,
              cells: [
                <b key="this">{told(row.this, row.unit)}</b>,
                told(row.mean, row.unit),
                <span
                  key="spread"
                  title={row.error === null ? undefined : `reading it alone: ${row.error}`}
                >
                  {row.deviation !== null && apartNumber(row.deviation, row.unit, 2)}
                </span>,
              ],
            }))}
          />
        </Fold>
      )}
    </section>
  );
}

const told = (value: number | null, unit: string) =>
  value === null ? "unknown" : amountNumber(value, unit, 1);
