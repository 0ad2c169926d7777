import type { Shot, ShotReading } from "../../api/client";
import { CLOCKS, useClock } from "../../profile/clock";
import { Choice } from "../../ui/Choice";
import { DataTable } from "../../ui/DataTable";
import { fixed } from "../../ui/format";

/** How the shot lay in its forecast and among its repeats. */
export function Repeats({ shot, read }: { shot: Shot; read: ShotReading }) {
  const { clock, setClock } = useClock();
  const figure = (CLOCKS.find((one) => one.value === clock) ?? CLOCKS[0]).figure;
  const rows = read.repeats.filter((row) => row.this !== null || row.mean !== null);
  const several = rows.some((row) => row.deviation !== null);
  return (
    <section aria-label="How it repeats" className="border-t border-rule">
      <Line name="Within forecast">
        {read.within_forecast_pct === null
          ? "unknown"
          : `${read.within_forecast_pct} % of the time`}
      </Line>
      <Line name="Shot time">
        <b className="tabular-nums">{fixed(shot[figure], 1)} s</b>
        <Choice
          label="Counted"
          value={clock}
          options={CLOCKS.map((one) => ({ value: one.value, words: `from ${one.words}` }))}
          onChange={setClock}
        />
      </Line>
      {several && (
        <DataTable
          what="Figure"
          heads={["this", "mean", "±"]}
          className="mt-1 w-full [&_td]:text-right [&_td]:tabular-nums [&_tbody_th]:py-0.5 [&_th]:text-left [&_th]:font-normal [&_thead]:text-[13px] [&_thead]:text-quiet [&_thead_th:not(:first-child)]:text-right"
          lines={rows.map((row) => ({
            id: row.figure,
            name: `${row.name}, ${row.unit}`,
            "data-repeat": row.figure,
            cells: [
              <b key="this">{fixed(row.this, digits(row.figure))}</b>,
              fixed(row.mean, digits(row.figure)),
              fixed(row.deviation, digits(row.figure) + 1, ""),
            ],
          }))}
        />
      )}
    </section>
  );
}

const digits = (figure: string) => (figure === "resistance" ? 2 : 1);

function Line({ name, children }: { name: string; children: React.ReactNode }) {
  return (
    <div className="flex min-h-8 items-center justify-between gap-2 border-b border-rule py-1">
      <span>{name}</span>
      <span className="flex items-center gap-2 tabular-nums">{children}</span>
    </div>
  );
}
