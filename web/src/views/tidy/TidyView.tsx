import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Navigate, useParams } from "react-router";
import { ApiError, type TidyAsk, type TidyResult } from "../../api/client";
import { benchQuery, shotQuery, tidiedQuery } from "../../api/queries";
import { refusalWords } from "../../api/refusals";
import { loosened } from "../../profile/loose";
import { useFreeName, useStartProfile } from "../../profile/useStartProfile";
import { commandWords, exitsWords } from "../../profile/words";
import { Button } from "../../ui/Button";
import { ErrorNote, Loading, PageError } from "../../ui/Messages";
import { FieldError, NumberField, type Typed } from "../../ui/NumberField";
import { Segments } from "../../ui/Segments";
import { cn, styles } from "../../ui/styles";
import { Bring } from "./Bring";
import { TidyChart } from "./TidyChart";

/** A recording as a tidy profile: seen beside what was recorded and predicted, saved when said so. */
export function TidyView() {
  const { shotId } = useParams();
  const [csv, setCsv] = useState(() => sessionStorage.getItem(KEPT) ?? "");
  const bring = (text: string) => {
    sessionStorage.setItem(KEPT, text);
    setCsv(text);
  };
  if (shotId !== undefined) {
    const id = Number(shotId);
    if (!Number.isInteger(id)) return <Navigate to="/tidy" replace />;
    return <OfShot id={id} />;
  }
  return csv ? (
    <Tidy
      key={csv.length}
      of={{ csv }}
      name="Imported recording"
      title="An imported recording"
      other={() => bring("")}
    />
  ) : (
    <Bring bring={bring} />
  );
}

const KEPT = "vapocline.trace";

function OfShot({ id }: { id: number }) {
  const shot = useQuery(shotQuery(id));
  if (shot.isError) return <PageError error={shot.error} retry={() => shot.refetch()} />;
  if (!shot.data) return <Loading what="the shot" />;
  const { profile_name: name } = shot.data;
  return <Tidy of={{ shot_id: id }} name={`${name}, as pulled`} title={`Shot ${id}, ${name}`} />;
}

type Of = { shot_id: number } | { csv: string };
type Control = NonNullable<TidyAsk["control"]>;
type Asked = { [name in keyof TidyAsk]: TidyAsk[name] | Typed };

const START: TidyAsk = {
  control: null,
  tolerance: null,
  flatten: true,
  shift_s: 0,
  shift_level: 0,
  exits: "meaning",
};

function Tidy(props: { of: Of; name: string; title: string; other?: () => void }) {
  const { of, title, other } = props;
  const [ask, setAsk] = useState<Asked>(START as Asked);
  const set = (part: Partial<Asked>) => setAsk((old) => ({ ...old, ...part }));
  const tidied = useQuery(tidiedQuery(of, ask as TidyAsk));
  const problems = tidied.error instanceof ApiError ? tidied.error.problems : [];
  const against = (name: string) => {
    const found = problems.find((one) => one.field === name || one.field === `ask.${name}`);
    return found && refusalWords(found);
  };
  const fields = ["tolerance", "shift_s", "shift_level", "control"];
  const rest = problems.length > 0 && !fields.some((name) => against(name));
  const found = tidied.data;
  const unsure = tidied.isPlaceholderData || tidied.isError;
  return (
    <div className={styles.plan}>
      <main className={styles.planMain} data-part="plan-main">
        <div className={cn(styles.planHead, "flex items-baseline justify-between gap-3")}>
          <h1 className="truncate">{title}</h1>
          {other && <Button onClick={other}>Another recording</Button>}
        </div>
        {tidied.error && (rest || problems.length === 0) && (
          <div className="mb-2">
            <ErrorNote error={tidied.error} />
          </div>
        )}
        <section
          className={styles.sheet}
          aria-label="Recorded, tidied and predicted"
          aria-busy={unsure}
        >
          {found && <TidyChart result={found} />}
        </section>
        {found && <Phases result={found} />}
      </main>
      <aside className={cn(styles.forecastColumn, "gap-3!")} aria-label="How to tidy">
        <Settings ask={ask} set={set} against={against} found={found} />
        {found && <Save key={props.name} name={props.name} result={found} ready={!unsure} />}
      </aside>
    </div>
  );
}

function Settings(props: {
  ask: Asked;
  set: (part: Partial<Asked>) => void;
  against: (name: string) => string | undefined;
  found: TidyResult | undefined;
}) {
  const { ask, set, against, found } = props;
  const bench = useQuery(benchQuery());
  const able = (bench.data?.machine.commands ?? []).filter((one) => one in NAMES) as Control[];
  const unit = found?.tidied.unit ?? "";
  const tolerance = (ask.tolerance as Typed) ?? found?.tidied.tolerance ?? null;
  const widest = WIDEST[found?.tidied.control ?? "pressure"] ?? 2;
  return (
    <div className="grid gap-3">
      <h2>How to tidy</h2>
      {able.length > 1 && (
        <Segments
          label="Told in"
          value={(ask.control ?? found?.tidied.control ?? able[0]) as Control}
          options={able.map((value) => ({ value, words: NAMES[value] }))}
          onChange={(control) => set({ control, tolerance: null })}
        />
      )}
      <div>
        <div className="flex items-center justify-between gap-2">
          <span>As few phases as keep within</span>
          <span className="flex items-center gap-1.5">
            <NumberField
              label="Tolerance"
              value={tolerance}
              width={50}
              step={0.05}
              onChange={(value) => set({ tolerance: value })}
              error={against("tolerance")}
            />
            {unit}
          </span>
        </div>
        <input
          type="range"
          className="mt-1 w-full"
          aria-label="Tolerance, by hand"
          min={0.05}
          max={widest}
          step={0.05}
          value={typeof tolerance === "number" ? tolerance : 0.4}
          onChange={(event) => set({ tolerance: Number(event.target.value) })}
        />
        {found && (
          <p className="text-quiet" role="status">
            {found.tidied.profile.phases.length}{" "}
            {found.tidied.profile.phases.length === 1 ? "phase" : "phases"}, nine tenths of it
            within {found.tidied.within.toFixed(2)} {unit}
          </p>
        )}
      </div>
      <label>
        <input
          type="checkbox"
          className="mr-1.5 align-[-2px]"
          checked={ask.flatten as boolean}
          onChange={(event) => set({ flatten: event.target.checked })}
        />
        flatten overshoots
      </label>
      <Segments
        label="Phases end"
        value={ask.exits as "meaning" | "seconds"}
        options={[
          { value: "meaning", words: "by what they mean" },
          { value: "seconds", words: "by the clock" },
        ]}
        onChange={(exits) => set({ exits })}
      />
      <div className="flex items-start justify-between gap-2">
        <span className="leading-7">Cut off the beginning</span>
        <span className="flex items-start gap-1.5">
          <NumberField
            label="Cut off, s"
            signed
            value={ask.shift_s as Typed}
            width={50}
            onChange={(value) => set({ shift_s: value ?? 0 })}
            error={against("shift_s")}
          />
          <span className="w-8 leading-7">s</span>
        </span>
      </div>
      <div className="flex items-start justify-between gap-2">
        <span className="leading-7">Add to what was read</span>
        <span className="flex items-start gap-1.5">
          <NumberField
            label="Level shift"
            signed
            value={ask.shift_level as Typed}
            width={50}
            onChange={(value) => set({ shift_level: value ?? 0 })}
            error={against("shift_level")}
          />
          <span className="w-8 leading-7">{unit}</span>
        </span>
      </div>
    </div>
  );
}

const NAMES: Record<Control, string> = {
  pressure: "pressure",
  flow: "flow",
  valve: "valve",
  force: "force",
};
const WIDEST: Record<string, number> = { pressure: 2, flow: 2, valve: 1, force: 5 };

/** The phases it came to, each with why it ends there. */
function Phases({ result }: { result: TidyResult }) {
  const { tidied } = result;
  return (
    <ol
      className="flex-none max-h-37.5 pt-2 pb-0 px-1 overflow-y-auto max-phone:max-h-none"
      aria-label="Phases"
    >
      {loosened(tidied.profile).phases.map((phase) => {
        const why = tidied.endings.find((one) => one.phase === phase.name);
        return (
          <li key={phase.name} data-phase={phase.name}>
            <b>{phase.name}</b>: {commandWords(phase)},{" "}
            <span className="text-quiet">
              {exitsWords(phase)}
              {why && ` (ended ${why.words})`}
            </span>
          </li>
        );
      })}
    </ol>
  );
}

function Save({ name, result, ready }: { name: string; result: TidyResult; ready: boolean }) {
  const [typed, setTyped] = useState<string>();
  const free = useFreeName(name);
  const chosen = typed ?? free;
  const start = useStartProfile(undefined);
  const problem = start.error instanceof ApiError ? start.error.problems[0] : undefined;
  return (
    <form
      className="mt-auto grid gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        start.mutate({ name: chosen, profile: result.tidied.profile });
      }}
    >
      {result.refused && (
        <p className="text-warn" role="status">
          The bench's machine cannot run it as it is: {result.refused}
        </p>
      )}
      <label>
        Its name
        <input
          className={cn(styles.textField, "w-full")}
          data-ui="field"
          aria-label="Name of the tidied profile"
          value={chosen}
          onChange={(event) => setTyped(event.target.value)}
        />
      </label>
      <Button type="submit" kind="main" className="w-full" disabled={!ready || start.isPending}>
        Save as a profile
      </Button>
      {start.error && (
        <FieldError>{problem ? refusalWords(problem) : start.error.message}</FieldError>
      )}
    </form>
  );
}
