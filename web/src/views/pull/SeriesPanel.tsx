import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Check, TriangleAlert } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { answered, client, type PullSeries, type Tolerance } from "../../api/client";
import { seriesQuery } from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { fixed } from "../../ui/format";
import { FieldError, NumberField, type Typed } from "../../ui/NumberField";
import { styles } from "../../ui/styles";

/** Repeats of one plan: every value, the spread, and whether it keeps the tolerance. */
export function SeriesPanel({ series, shotId }: { series: PullSeries; shotId: number }) {
  const [tolerance, setTolerance] = useState<Record<string, Typed>>(series.tolerance);
  const queryClient = useQueryClient();
  const judge = useMutation({
    scope: { id: `series-${series.id}` },
    mutationFn: (body: Tolerance) =>
      answered(
        client.PUT("/api/series/{series_id}/tolerance", {
          params: { path: { series_id: series.id } },
          body,
        }),
      ),
    onSuccess: (now) => queryClient.setQueryData(seriesQuery(series.id).queryKey, now),
  });
  const done = series.shots.filter((one) => one.state === "done");
  return (
    <div className="col-span-2 grid gap-2">
      <p>
        <b>{series.verdict}</b>
      </p>
      <div className="overflow-x-auto">
        <table className={styles.doneTable}>
          <thead>
            <tr className="text-quiet">
              <th className="font-normal">
                <span className="sr-only">Figure</span>
              </th>
              {done.map((one) => (
                <th key={one.id} className="font-normal">
                  <Link
                    to={`/pull/shot/${one.id}`}
                    className={one.id === shotId ? "font-semibold text-ink" : "underline"}
                  >
                    shot {one.id}
                  </Link>
                </th>
              ))}
              <th className="font-normal">mean</th>
              <th className="font-normal">deviation</th>
              <th className="font-normal">spread</th>
              <th className="font-normal">tolerance</th>
            </tr>
          </thead>
          <tbody>
            {series.rows.map((row) => (
              <tr key={row.figure} data-spread={row.figure} data-within={String(row.within)}>
                <th>
                  {row.name}, {row.unit}
                </th>
                {row.values.map((value, i) => (
                  // biome-ignore lint/suspicious/noArrayIndexKey: one value a shot, in order
                  <td key={i}>{fixed(value, 1, "unknown")}</td>
                ))}
                <td>{fixed(row.mean, 1, "")}</td>
                <td>{fixed(row.deviation, 2, "")}</td>
                <td className={row.within === false ? "font-semibold text-warn" : ""}>
                  {fixed(row.span, 1, "")}{" "}
                  {row.within === true && (
                    <Check size={13} className="inline text-action" aria-label="within" />
                  )}
                  {row.within === false && (
                    <TriangleAlert size={13} className="inline" aria-label="too wide" />
                  )}
                </td>
                <td>
                  <NumberField
                    label={`${row.name}, tolerance`}
                    value={tolerance[row.figure] ?? null}
                    width={48}
                    onChange={(value) => {
                      const next = { ...tolerance, [row.figure]: value };
                      setTolerance(next);
                      judge.mutate(next as Tolerance);
                    }}
                  />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {judge.error && <FieldError>{failureWords(judge.error) ?? ""}</FieldError>}
    </div>
  );
}
