import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { careQuery, useSayCare } from "../../api/care";
import type { CareInterval, CareLine, ThingCare } from "../../api/client";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { moment, plain } from "../../ui/format";
import { ErrorNote, Loading, PageError } from "../../ui/Messages";
import { NumberField, type Typed } from "../../ui/NumberField";
import { Panel } from "../../ui/Panel";
import { cn, styles } from "../../ui/styles";

const UNITS = [
  { value: "days", words: "days" },
  { value: "shots", words: "shots" },
  { value: "litres", words: "litres" },
] as const;

/** What falls due on machines and grinders, counted from what was pulled. */
export function CarePage() {
  const found = useQuery(careQuery());
  if (found.isError) return <PageError error={found.error} retry={() => found.refetch()} />;
  if (!found.data) return <Loading what="what falls due" />;
  const here = found.data.filter((one) => one.on_bench);
  const others = found.data.filter((one) => !one.on_bench);
  return (
    <div className="grid content-start gap-3 min-h-0 overflow-y-auto py-2.5 max-phone:overflow-visible">
      <p className="text-quiet">
        Counted from the shots that were pulled here. The maker’s manual comes first: change an
        interval to what it says.
      </p>
      {here.map((one) => (
        <Panel key={`${one.kind}${one.id}`} name={one.name}>
          <Thing of={one} />
        </Panel>
      ))}
      {others.map((one) => (
        <details key={`${one.kind}${one.id}`} className={styles.part}>
          <summary>
            <b>{one.name}</b> <span className="text-quiet">{dueWords(one)}</span>
          </summary>
          <Thing of={one} />
        </details>
      ))}
    </div>
  );
}

function dueWords(of: ThingCare) {
  const due = [...of.lines, ...of.calibrations].filter((one) => one.state === "due").length;
  return due === 0 ? "nothing due" : `${due} due`;
}

function Thing({ of }: { of: ThingCare }) {
  return (
    <div className="grid gap-2">
      {of.kind === "machine" && <WarmAt of={of} />}
      <ul className="[&>li]:border-t [&>li]:border-t-rule">
        {of.lines.map((line) => (
          <Line key={line.task} of={of} line={line} />
        ))}
        {of.calibrations.map((one) => (
          <li
            key={one.what}
            className="flex flex-wrap items-baseline gap-x-3 py-1.5"
            data-care={one.what}
            data-state={one.state}
          >
            <b className="font-medium">
              {one.state === "due" ? `Measure ${one.words} again` : `Measured: ${one.words}`}
            </b>
            <span className={cn("text-quiet", one.state === "due" && "text-warn")}>
              {one.because ?? moment(one.measured_at)}
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}

function Line({ of, line }: { of: ThingCare; line: CareLine }) {
  const { done, takeBack } = useSayCare();
  const path = { kind: of.kind, number: of.id, task: line.task };
  const { interval } = line;
  const share = interval ? Math.min(1, line.by / interval.every) : 0;
  return (
    <li
      className="grid grid-cols-[minmax(0,_1fr)_minmax(180px,_240px)_auto] items-center gap-x-4 gap-y-1 py-2 max-phone:grid-cols-[minmax(0,_1fr)_auto]"
      data-care={line.task}
      data-state={line.state}
    >
      <div className="max-phone:col-span-2">
        <b className="font-medium">{line.words}</b>{" "}
        {line.state === "due" && <span className="font-medium text-warn">due</span>}
        <p className="text-quiet">{line.how}</p>
        {line.because && <p className="text-warn">{line.because}</p>}
        {line.outcome && <p className="text-quiet">{line.outcome}</p>}
      </div>
      <div className="grid gap-0.5">
        {interval && (
          <div
            className="h-2 overflow-hidden rounded-full border border-edge"
            role="img"
            aria-label={`${(share * 100).toFixed(0)} % of the way`}
          >
            <div
              className={cn("h-full bg-action", line.state === "due" && "bg-warn")}
              style={{ width: `${share * 100}%` }}
            />
          </div>
        )}
        <span className="text-quiet">{sinceWords(line)}</span>
        <Every path={path} line={line} />
      </div>
      <span className="flex items-center gap-2">
        <Button disabled={done.isPending} onClick={() => done.mutate(path)}>
          Done<span className="sr-only">, {line.words}</span>
        </Button>
        {done.isSuccess && (
          <button
            type="button"
            className={styles.word}
            onClick={() => takeBack.mutate(path, { onSuccess: () => done.reset() })}
          >
            undo
          </button>
        )}
      </span>
      {(done.error ?? takeBack.error) && (
        <ErrorNote error={(done.error ?? takeBack.error) as Error} />
      )}
    </li>
  );
}

function sinceWords(line: CareLine) {
  const since = line.done_at ? `since ${moment(line.done_at)}` : "never recorded";
  const unit = (line.interval ?? line.usual).unit;
  const by = unit === "litres" ? line.by.toFixed(1) : line.by.toFixed(0);
  return `${by} ${by === "1" ? unit.slice(0, -1) : unit}, ${since}`;
}

type Path = Parameters<ReturnType<typeof useSayCare>["done"]["mutate"]>[0];

/** How often it is wanted; pressed, it can be changed. */
function Every({ path, line }: { path: Path; line: CareLine }) {
  const { every } = useSayCare();
  const [draft, setDraft] = useState<{ every: Typed; unit: CareInterval["unit"] } | null>(null);
  const { interval, usual } = line;
  if (draft === null)
    return (
      <button
        type="button"
        className={cn(styles.word, "justify-self-start")}
        onClick={() => setDraft({ ...(interval ?? usual) })}
      >
        {interval ? `every ${plain(interval.every)} ${interval.unit}` : "off"}
        <span className="sr-only">, {line.words}</span>
      </button>
    );
  const say = (body: Parameters<typeof every.mutate>[0]["body"]) =>
    every.mutate({ path, body }, { onSuccess: () => setDraft(null) });
  return (
    <form
      className={styles.row}
      onSubmit={(event) => {
        event.preventDefault();
        const value = { every: draft.every as number, unit: draft.unit };
        say({ interval: value, usual: false });
      }}
    >
      <NumberField
        label="Every"
        value={draft.every}
        step={10}
        width={72}
        onChange={(value) => setDraft({ ...draft, every: value })}
      />
      <Choice
        label="Of what"
        value={draft.unit}
        options={UNITS}
        onChange={(unit) => setDraft({ ...draft, unit })}
      />
      <Button type="submit">Save</Button>
      <Button onClick={() => say({ usual: true })}>Default</Button>
      <Button onClick={() => say({ usual: false })}>Turn off</Button>
      {every.error && <ErrorNote error={every.error} />}
    </form>
  );
}

/** By when it is to be warm, and when to switch it on for that. */
function WarmAt({ of }: { of: ThingCare }) {
  const { warmBy } = useSayCare();
  return (
    <p className="flex flex-wrap items-center gap-2">
      <label className="flex items-center gap-2">
        Warm at
        <input
          type="time"
          className={styles.textField}
          value={of.warm_at?.slice(0, 5) ?? ""}
          onChange={(event) =>
            warmBy.mutate({ machine_id: of.id, warm_at: event.target.value || null })
          }
        />
      </label>
      {of.switch_on_at && (
        <span>
          switch it on at <b>{of.switch_on_at.slice(0, 5)}</b>
        </span>
      )}
      {warmBy.error && <ErrorNote error={warmBy.error} />}
    </p>
  );
}
