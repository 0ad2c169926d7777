import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Check, TriangleAlert } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { answered, type Clock, client, type PullSeries, type Tolerance } from "../../api/client";
import { keepAnswer } from "../../api/keepAnswer";
import { seriesQuery } from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { CLOCKS, useClock } from "../../profile/clock";
import { DataTable } from "../../ui/DataTable";
import { fixed } from "../../ui/format";
import { FieldError, NumberField, type Typed } from "../../ui/NumberField";
import { styles } from "../../ui/styles";
import { amountNumber, apartNumber, readUnit } from "../../ui/units";

/** Repeats of one plan: every value, the spread, and whether it keeps the tolerance. */
export function SeriesPanel({ series, shotId }: { series: PullSeries; shotId: number }) {
  const [tolerance, setTolerance] = useState<Record<string, Typed>>(series.tolerance);
  const queryClient = useQueryClient();
  const clock = useClock((state) => state.clock);
  const judge = useMutation({
    scope: { id: `series-${series.id}` },
    mutationFn: (body: Tolerance) =>
      answered(
        client.PUT("/api/series/{series_id}/tolerance", {
          params: { path: { series_id: series.id }, query: { clock } },
          body,
        }),
      ),
    onSuccess: (now) => keepAnswer(queryClient, seriesQuery(series.id, clock).queryKey, now),
  });
  const done = series.shots.filter((one) => one.state === "done" && one.set_aside === null);
  return (
    <div className="col-span-2 grid gap-2">
      <p>
        <b>{series.verdict}</b>
      </p>
      <div className="overflow-x-auto">
        <DataTable
          what="Figure"
          className={styles.doneTable}
          heads={[
            ...done.map((one) => (
              <Link
                key={one.id}
                to={`/read/${one.id}`}
                className={one.id === shotId ? "font-semibold text-ink" : "underline"}
              >
                shot {one.id}
              </Link>
            )),
            "mean",
            "deviation",
            "spread",
            "tolerance",
          ]}
          lines={series.rows.map((row) => ({
            name:
              row.figure === "shot_time_s"
                ? `${row.name} from ${clockWords(clock)}, ${readUnit(row.unit)}`
                : `${row.name}, ${readUnit(row.unit)}`,
            "data-spread": row.figure,
            "data-within": String(row.within),
            cells: [
              ...row.values.map((value) =>
                value === null ? "unknown" : amountNumber(value, row.unit, 1),
              ),
              row.mean === null ? "" : amountNumber(row.mean, row.unit, 1),
              row.deviation === null ? "" : apartNumber(row.deviation, row.unit, 2),
              <Span key="span" {...row} />,
              <NumberField
                key="tolerance"
                label={`${row.name}, tolerance`}
                value={tolerance[row.figure] ?? null}
                unit={row.unit}
                width={48}
                onChange={(value) => {
                  const next = { ...tolerance, [row.figure]: value };
                  setTolerance(next);
                  judge.mutate(next as Tolerance);
                }}
              />,
            ],
          }))}
        />
      </div>
      {judge.error && <FieldError>{failureWords(judge.error) ?? ""}</FieldError>}
    </div>
  );
}

const clockWords = (clock: Clock) => CLOCKS.find((one) => one.value === clock)?.words;

function Span({ span, within }: { span: number | null; within: boolean | null }) {
  return (
    <span className={within === false ? "font-semibold text-warn" : ""}>
      {fixed(span, 1, "")}{" "}
      {within === true && <Check size={13} className="inline text-action" aria-label="within" />}
      {within === false && <TriangleAlert size={13} className="inline" aria-label="too wide" />}
    </span>
  );
}
