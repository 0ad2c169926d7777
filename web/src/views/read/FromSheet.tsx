import { useQuery } from "@tanstack/react-query";
import { TriangleAlert } from "lucide-react";
import { useEffect, useMemo, useState } from "react";
import type { ImportDoubt, RecordingToImport, Sheet, SheetColumn } from "../../api/client";
import { recordingQuery, sheetQuery } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { ErrorNote } from "../../ui/Messages";
import { NumberField, type Typed } from "../../ui/NumberField";
import { TextOrFile } from "../../ui/TextOrFile";

type Channel = SheetColumn["channel"];

export const CHANNEL_WORDS: Record<Channel, string> = {
  time_s: "time",
  pressure_bar: "pressure",
  water_in_ml_s: "water in",
  cup_g: "cup weight",
  group_c: "group temperature",
  commanded: "what was asked for",
};

/** A table from a file or as text, and which of its columns is what. */
export function FromSheet({
  ready,
}: {
  ready: (recording: RecordingToImport | undefined) => void;
}) {
  const [csv, setCsv] = useState("");
  const sheet = useQuery({ ...sheetQuery(csv), enabled: csv.trim() !== "" });
  if (csv && sheet.data)
    return (
      <Columns
        key={csv.length}
        csv={csv}
        sheet={sheet.data}
        ready={ready}
        another={() => {
          setCsv("");
          ready(undefined);
        }}
      />
    );
  return (
    <div className="grid max-w-2xl gap-3">
      <p>
        A row a moment, a column a channel, in any order and in the units below. Commas, semicolons
        or tabs part the columns.
      </p>
      {sheet.error && <ErrorNote error={sheet.error} />}
      <TextOrFile
        label="Table as text"
        placeholder={"elapsed,pressure (psi),weight\n0,0,0\n0.1,3,0"}
        send="Read the table"
        take={setCsv}
      />
    </div>
  );
}

interface Mapped {
  channel: Channel | "none";
  unit: string;
  offset: Typed;
}

/** Each column with its first values: what it is, its unit, and what is added. */
function Columns(props: {
  csv: string;
  sheet: Sheet;
  ready: (recording: RecordingToImport | undefined) => void;
  another: () => void;
}) {
  const { csv, sheet, ready, another } = props;
  const [begins, setBegins] = useState<Typed>(0);
  const [mapped, setMapped] = useState<Mapped[]>(() =>
    sheet.headers.map((_, at) => {
      const guess = sheet.guessed.find((one) => one.column === at);
      return guess
        ? { channel: guess.channel, unit: guess.unit, offset: 0 }
        : { channel: "none", unit: "", offset: 0 };
    }),
  );
  const change = (at: number, to: Partial<Mapped>) =>
    setMapped((old) => old.map((one, i) => (i === at ? { ...one, ...to } : one)));
  const [ends, setEnds] = useState<number | null>(null);
  const recording = useMemo(() => {
    const columns = mapped.flatMap((one, column): SheetColumn[] =>
      one.channel === "none" || typeof one.offset !== "number"
        ? []
        : [{ column, channel: one.channel, unit: one.unit, offset: one.offset }],
    );
    const timed = columns.some((one) => one.channel === "time_s") && columns.length > 1;
    return timed && typeof begins === "number"
      ? { csv, columns, begins_s: begins, ends_s: ends }
      : undefined;
  }, [mapped, begins, ends, csv]);
  useEffect(() => ready(recording), [recording, ready]);
  const take = (doubt: ImportDoubt) => {
    const { column = null, unit = null, offset = null, begins_s = null, ends_s = null } = doubt;
    if (column !== null)
      change(column, { ...(unit !== null && { unit }), ...(offset !== null && { offset }) });
    if (begins_s !== null) setBegins(begins_s);
    if (ends_s !== null) setEnds(ends_s);
  };
  return (
    <div className="grid content-start gap-3">
      <p className="flex flex-wrap items-center justify-between gap-2">
        <span>
          {sheet.lines} rows of {sheet.headers.length} columns.
        </span>
        <Button onClick={another}>Another table</Button>
      </p>
      <ul className="grid gap-1.5" aria-label="Columns">
        {sheet.headers.map((header, at) => {
          const one = mapped[at];
          if (!one) return null;
          return (
            <li
              // biome-ignore lint/suspicious/noArrayIndexKey: columns may share a header
              key={at}
              className="flex flex-wrap items-center gap-2 border-t border-rule pt-1.5"
              data-column={header}
            >
              <b className="w-40 truncate" title={header}>
                {header}
              </b>
              <Choice
                label={`${header} is`}
                value={one.channel}
                options={[
                  { value: "none" as const, words: "not used" },
                  ...(Object.keys(CHANNEL_WORDS) as Channel[]).map((value) => ({
                    value,
                    words: CHANNEL_WORDS[value],
                  })),
                ]}
                onChange={(channel) =>
                  change(at, {
                    channel,
                    unit: channel === "none" ? "" : (sheet.units[channel]?.[0] ?? ""),
                  })
                }
              />
              {one.channel !== "none" && (
                <>
                  <Choice
                    label={`${header}, unit`}
                    value={one.unit}
                    options={(sheet.units[one.channel] ?? []).map((unit) => ({
                      value: unit,
                      words: `in ${unit}`,
                    }))}
                    onChange={(unit) => change(at, { unit })}
                  />
                  <span>plus</span>
                  <NumberField
                    label={`${header}, offset`}
                    value={one.offset}
                    onChange={(offset) => change(at, { offset })}
                    signed
                    error={typeof one.offset === "number" ? undefined : "a number"}
                  />
                </>
              )}
              <span className="ml-auto truncate font-mono text-[12px] text-quiet">
                {sheet.rows.map((row) => row[at] ?? "").join("  ")}
              </span>
            </li>
          );
        })}
      </ul>
      <p className="flex flex-wrap items-center gap-2">
        The pump starts at
        <NumberField
          label="The pump starts at"
          value={begins}
          onChange={setBegins}
          signed
          error={typeof begins === "number" ? undefined : "a number"}
        />
        s of its clock.
        {ends !== null && (
          <>
            What comes after {ends.toFixed(1)} s is left out.
            <Button onClick={() => setEnds(null)}>Take it all</Button>
          </>
        )}
      </p>
      {recording && <Doubts recording={recording} take={take} />}
    </div>
  );
}

/** What seems wrong with the numbers, each with what would put it right. */
function Doubts(props: { recording: RecordingToImport; take: (doubt: ImportDoubt) => void }) {
  const preview = useQuery(recordingQuery(props.recording));
  const doubts = preview.isSuccess && !preview.isPlaceholderData ? preview.data.doubts : [];
  if (doubts.length === 0) return null;
  return (
    <ul aria-label="Does this fit?" className="grid gap-2 border-t border-rule pt-3">
      {doubts.map((doubt) => (
        <li key={doubt.words} className="flex flex-wrap items-center gap-2 text-warn">
          <TriangleAlert size={15} className="shrink-0" aria-hidden="true" />
          <span className="min-w-60 flex-1">{doubt.words}</span>
          {remedy(doubt) && <Button onClick={() => props.take(doubt)}>{remedy(doubt)}</Button>}
        </li>
      ))}
    </ul>
  );
}

function remedy(doubt: ImportDoubt) {
  const { unit = null, offset = null, begins_s = null, ends_s = null } = doubt;
  if (unit !== null) return `Read it in ${unit}`;
  if (offset !== null) return "Take it off";
  if (begins_s !== null) return `Begin at ${begins_s.toFixed(1)} s`;
  if (ends_s !== null) return `Keep up to ${ends_s.toFixed(1)} s`;
  return null;
}
