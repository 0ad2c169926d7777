import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { ApiError, answered, client, type Kept, type Measured } from "../../api/client";
import { keepAnswer } from "../../api/keepAnswer";
import { calibrationsQuery, type Subject } from "../../api/queries";
import { failureWords, refusalWords } from "../../api/refusals";
import { useResting } from "../../profile/useForecast";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { moment } from "../../ui/format";
import { FieldError, NumberField } from "../../ui/NumberField";
import { Panel } from "../../ui/Panel";
import { styles } from "../../ui/styles";
import { readUnit } from "../../ui/units";
import { CalibrationStrip } from "./CalibrationStrip";
import {
  emptyPicks,
  emptyRows,
  type Journey,
  journeysOf,
  measuredOf,
  type Picks,
  type Rows,
  unfinished,
} from "./calibrating";
import { DryRun } from "./DryRun";
import { FitPlot } from "./FitPlot";

interface Of {
  subject: Subject;
  id: number;
}

/** What was measured of a thing, what is in use, and measuring again. */
export function Calibrations({ subject, id, valve = false }: Of & { valve?: boolean }) {
  const kept = useQuery(calibrationsQuery(subject, id));
  const [open, setOpen] = useState<string>();
  return (
    <Panel name="Calibrations">
      <CalibrationStrip
        subject={subject}
        id={id}
        kept={kept.data ?? []}
        names={new Map(journeysOf(subject, valve).map((one) => [one.what, one.name]))}
      />
      <ul className="[&>li]:py-1.5 [&>li]:px-0 [&>li]:border-t [&>li]:border-t-rule [&>li:first-child]:border-t-0">
        {journeysOf(subject, valve).map((journey) => {
          const mine = kept.data?.filter((one) => one.what === journey.what) ?? [];
          return (
            <li key={journey.what} data-what={journey.what}>
              <Standing
                journey={journey}
                kept={mine}
                open={open === journey.what}
                toggle={() => setOpen(open === journey.what ? undefined : journey.what)}
              />
              {open === journey.what && (
                <>
                  <Measuring subject={subject} id={id} journey={journey} done={() => setOpen("")} />
                  <Older subject={subject} id={id} kept={mine} />
                </>
              )}
            </li>
          );
        })}
        {subject === "machine" && (
          <li data-what="dry-run">
            <DryRun id={id} kept={kept.data?.filter((one) => one.what === "dry-run") ?? []} />
          </li>
        )}
      </ul>
    </Panel>
  );
}

function Standing(props: { journey: Journey; kept: Kept[]; open: boolean; toggle: () => void }) {
  const { journey, kept, open, toggle } = props;
  const used = kept.find((one) => one.in_use);
  return (
    <div className={styles.standing}>
      <b>{journey.name}</b>
      <span className="text-quiet">
        {used
          ? `In use, of ${moment(used.measured_at)}: ${used.fitted.words[0]}.`
          : "Not measured yet: what stands above, or the model's own, is in use."}
      </span>
      <Button aria-expanded={open} onClick={toggle}>
        {open ? "Close" : used ? "Measure again" : "Measure"}
      </Button>
    </div>
  );
}

/** The table to write into, worked out as it fills. */
function Measuring({ subject, id, journey, done }: Of & { journey: Journey; done: () => void }) {
  const [rows, setRows] = useState<Rows>(() => emptyRows(journey));
  const [picks, setPicks] = useState<Picks>(() => emptyPicks(journey));
  const queryClient = useQueryClient();
  const measured = measuredOf(journey, rows, picks);
  const rested = useResting(JSON.stringify(measured));
  const path = { params: { path: { subject, subject_id: id } } };
  const empty = measured.rows.length === 0;
  const missing = unfinished(rows);
  const worked = useQuery({
    queryKey: ["fit", subject, id, rested],
    queryFn: ({ signal }) =>
      answered(
        client.POST("/api/calibrations/{subject}/{subject_id}/fit", {
          ...path,
          body: { measured: JSON.parse(rested) as Measured, note: "" },
          signal,
        }),
      ),
    enabled: !empty,
    placeholderData: keepPreviousData, // what stands below keeps its place while one types
    retry: false,
  });
  const keep = useMutation({
    mutationFn: () =>
      answered(
        client.POST("/api/calibrations/{subject}/{subject_id}", {
          ...path,
          body: { measured, note: "" },
        }),
      ),
    onSuccess: () => {
      done();
      return queryClient.invalidateQueries(); // the forecast, the shelf and the bench rest on it
    },
  });
  const set = (row: number, column: number, value: Rows[number][number]) => {
    keep.reset();
    setRows(rows.map((cells, i) => (i === row ? cells.with(column, value) : cells)));
  };
  // Chosen for one row, it is for those below that nobody chose for yet.
  const pick = (row: number, column: number, value: string) => {
    keep.reset();
    const open = (at: number) => at === row || (at > row && !picks[at]?.[column]);
    setPicks(picks.map((cells, at) => (open(at) ? cells.with(column, value) : cells)));
  };
  const addRow = () => {
    setRows([...rows, journey.columns.map(() => null)]);
    setPicks([...picks, picks.at(-1) ?? []]);
  };
  const refused = keep.error ?? worked.error;
  return (
    <div
      data-part="measuring"
      className="grid grid-cols-[auto_minmax(0,_1fr)] gap-y-2 gap-x-6 py-2 px-0 max-phone:grid-cols-[minmax(0,_1fr)]"
    >
      <p className="col-span-full max-w-[72ch] text-quiet">{journey.how}</p>
      <div>
        <table className={styles.rows}>
          <thead>
            <tr>
              <th scope="col">
                <span className="sr-only">Row</span>
              </th>
              {journey.columns.map((one) => (
                <th key={one.field} scope="col">
                  {one.label}
                  {one.unit && `, ${readUnit(one.unit)}`}
                </th>
              ))}
              {journey.picks?.map((one) => (
                <th key={one.field} scope="col">
                  {one.label}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((cells, row) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: a row is its place
              <tr key={row}>
                <th scope="row">{row + 1}</th>
                {journey.columns.map((one, i) => (
                  <td key={one.field}>
                    <NumberField
                      label={`${one.label} ${row + 1}`}
                      value={cells[i] ?? null}
                      onChange={(value) => set(row, i, value)}
                      step={one.step}
                      unit={one.unit}
                      width={84}
                    />
                  </td>
                ))}
                {journey.picks?.map((one, i) => (
                  <td key={one.field}>
                    <Choice
                      label={`${one.label} ${row + 1}`}
                      value={picks[row]?.[i] ?? ""}
                      options={one.options}
                      onChange={(value) => pick(row, i, value)}
                    />
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
        {missing.length > 0 && (
          <p className={styles.fieldNote} data-part="field-note">
            {missing.length === 1 ? "Row" : "Rows"} {missing.join(", ")} not complete yet
          </p>
        )}
        <Button className="mt-2" onClick={addRow}>
          Add a row
        </Button>
      </div>
      <div className="min-w-0">
        {worked.data && !empty ? (
          <div aria-busy={worked.isFetching}>
            <FitPlot fitted={worked.data.fitted} />
            <div role="status">
              {worked.data.fitted.words.map((words) => (
                <p key={words}>{words}.</p>
              ))}
              {worked.data.drift && (
                <p className={worked.data.drift.drifted ? "text-warn" : ""}>
                  {worked.data.drift.words}, against the one in use.
                </p>
              )}
            </div>
          </div>
        ) : (
          <p className="text-quiet">
            {empty && "Results appear as you fill in the rows."}
            {worked.isPending && !empty && "Calculating"}
          </p>
        )}
        {!empty && refused && (
          <div>
            <Refusal error={refused} />
          </div>
        )}
        {!empty && (
          <Button
            className="mt-2 text-action"
            disabled={keep.isPending}
            onClick={() => keep.mutate()}
          >
            Save and use
          </Button>
        )}
      </div>
    </div>
  );
}

/** Why rows could not be used; several at once, each by its row. */
function Refusal({ error }: { error: Error }) {
  const problems = error instanceof ApiError ? error.problems : [];
  if (problems.length === 0) return <FieldError>{error.message}</FieldError>;
  const words = problems.map((one) => {
    const row = /rows\.(\d+)/.exec(one.field)?.[1];
    return `${row === undefined ? "" : `Row ${Number(row) + 1}: `}${refusalWords(one)}`;
  });
  return <FieldError>{words.join("\n")}</FieldError>;
}

/** Every one that was kept, newest first, and going back to it. */
function Older({ subject, id, kept }: Of & { kept: Kept[] }) {
  const queryClient = useQueryClient();
  const use = useMutation({
    mutationFn: (calibration_id: number) =>
      answered(
        client.POST("/api/kept-calibrations/{calibration_id}/use", {
          params: { path: { calibration_id } },
        }),
      ),
    onSuccess: async (all) => {
      await keepAnswer(queryClient, calibrationsQuery(subject, id).queryKey, all);
      return queryClient.invalidateQueries();
    },
  });
  const [shown, show] = useState(() => kept.find((one) => one.in_use)?.id);
  if (kept.length === 0) return null;
  return (
    <ol className={styles.older} aria-label="Kept">
      {kept.map((one) => (
        <li key={one.id} className="flex-wrap">
          <span className="flex-1">
            <b>{moment(one.measured_at)}</b>
            {one.in_use ? ", in use" : ""}: {one.fitted.words[0]}.{" "}
            {one.drift && <span className="text-quiet">{one.drift.words}.</span>}
          </span>
          <Button
            aria-expanded={shown === one.id}
            aria-label={`Plot of ${moment(one.measured_at)}`}
            onClick={() => show(shown === one.id ? undefined : one.id)}
          >
            {shown === one.id ? "Hide its plot" : "Its plot"}
          </Button>
          {!one.in_use && (
            <Button disabled={use.isPending} onClick={() => use.mutate(one.id)}>
              Use this one
            </Button>
          )}
          {shown === one.id && (
            <div className="basis-full">
              <FitPlot fitted={one.fitted} />
            </div>
          )}
        </li>
      ))}
      {use.error && <FieldError>{failureWords(use.error) ?? ""}</FieldError>}
    </ol>
  );
}
