import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import {
  answered,
  client,
  type Next,
  type NextChange,
  type ShotLine,
  type Trigger,
} from "../../api/client";
import { benchQuery, refittedQuery } from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { useActions } from "../../bench/actions";
import { useDraftInPlan, useRecipeOnBench } from "../../profile/useIntoPlan";
import { Button } from "../../ui/Button";
import { DataTable } from "../../ui/DataTable";
import { fixed, listed, plain } from "../../ui/format";
import { Key } from "../../ui/Key";
import { FieldError } from "../../ui/NumberField";
import { cn, styles } from "../../ui/styles";
import { BeforeAfter } from "./BeforeAfter";
import { LINES } from "./ChangeRow";

const ROWS = [
  { name: "Shot time", field: "shot_time_s", digits: 1, unit: "s" },
  { name: "Last flow", field: "late_flow_ml_s", digits: 1, unit: "mL/s" },
  { name: "Strength (TDS)", field: "tds_pct", digits: 1, unit: "%" },
  { name: "Extraction (EY)", field: "extraction_yield_pct", digits: 1, unit: "%" },
] as const;

/** The chosen change: the curve over the one before, figures, both sides' reasons, and the step. */
export function ChangeColumn(props: {
  next: Next;
  change: NextChange;
  said: { off: Trigger[]; wished: Trigger[] };
}) {
  const { next, said } = props;
  const { shot } = next;
  const [regrind, setRegrind] = useState(false);
  const refitted = useQuery({
    ...refittedQuery(shot.id, props.change.move, said),
    enabled: props.change.where !== "grind",
  }).data;
  const change = regrind && refitted ? refitted : props.change;
  const take = useTake(shot, change, regrind && Boolean(refitted));
  useActions("change", [
    {
      id: "take",
      words: "Take the change into Plan",
      key: "Enter",
      group: "Here",
      disabled: take.isPending,
      run: () => take.mutate(),
    },
  ]);
  return (
    <aside className={cn(styles.forecastColumn, "gap-2!")} aria-label="The change">
      <h2>{change.words}</h2>
      <p className="text-quiet">{change.details}</p>
      <BeforeAfter change={change} width={268} height={140} axis />
      <DataTable
        what="Figure"
        heads={["before", "after"]}
        className="w-full [&_tbody_th]:py-0.5 [&_td]:text-right [&_td]:tabular-nums [&_th]:text-left [&_th]:font-normal [&_thead]:text-small [&_thead]:text-quiet [&_thead_th:not(:first-child)]:text-right"
        lines={ROWS.map(({ name, field, digits, unit }) => ({
          id: field,
          name,
          cells: [
            fixed(change.before[field], digits, ""),
            <span key="after">
              <b>{fixed(change.after[field], digits, "")}</b> {unit}
            </span>,
          ],
        }))}
      />
      {refitted && (
        <label className="flex items-start gap-2">
          <input
            type="checkbox"
            className="mt-0.75"
            checked={regrind}
            onChange={(event) => setRegrind(event.target.checked)}
          />
          <span>
            Refit the grind to keep {fixed(change.before.shot_time_s, 0, "the")} s
            <span className="block text-quiet">
              Without it the time moves too, with it the grind does: either way a second thing
              changes.
            </span>
          </span>
        </label>
      )}
      {change.voices.map((voice) => (
        <section key={`${voice.school} ${voice.trigger}`} data-school={voice.school}>
          <p>
            <b>For.</b> {voice.reason} <ModelSays voice={voice} />
          </p>
          <p className="text-quiet">
            <b>Against.</b> {voice.against}
          </p>
        </section>
      ))}
      <p className="text-small text-quiet">
        Dotted boxes: a step that one notices. Bars: the school's promise and the model together
        {change.pulls_for + change.pulls_against > 0 && ", with your own pulls"}.
      </p>
      <WhyThis next={next} />
      <GoesBack change={change} regrind={regrind} />
      {take.error && <FieldError>{failureWords(take.error) ?? ""}</FieldError>}
      <div className={styles.columnFoot}>
        <Button kind="main" disabled={take.isPending} onClick={() => take.mutate()}>
          Apply in Plan <Key>Enter</Key>
        </Button>
      </div>
    </aside>
  );
}

/** Whether the model moves the lines as the school says. */
function ModelSays({ voice }: { voice: NextChange["voices"][number] }) {
  const named = (agrees: boolean) =>
    LINES.filter(({ line }) => {
      const [said, model] = [voice.promise[line], voice.model[line]];
      return (
        said !== undefined && model !== undefined && (model === said) === agrees && model !== 0
      );
    }).map(({ name }) => name);
  const [with_, against] = [named(true), named(false)];
  if (with_.length + against.length === 0) return <span>The model moves this hardly at all.</span>;
  return (
    <span>
      {with_.length > 0 && `The model agrees on ${listed(with_)}.`}
      {against.length > 0 && (
        <b className="text-warn"> The model says the opposite on {listed(against)}.</b>
      )}
    </span>
  );
}

/** What the predictions rest on: the page of what the shots taught. */
function WhyThis({ next }: { next: Next }) {
  const { coffee_id, grinder_id, machine_id } = next;
  if (coffee_id === null || grinder_id === null) return null;
  return (
    <Link
      className={cn(styles.word, "self-start")}
      to={`/shelf/learnt/${coffee_id}/${grinder_id}/${machine_id}`}
    >
      Why the model says this
    </Link>
  );
}

/** Make the change: the shot's recipe and profile with it, on the bench and as a draft in Plan. */
function useTake(shot: ShotLine, change: NextChange, regrind: boolean) {
  const navigate = useNavigate();
  const onBench = useRecipeOnBench();
  const inPlan = useDraftInPlan();
  return useMutation({
    mutationFn: async () => {
      await answered(
        client.POST("/api/shots/{shot_id}/next/taken", {
          params: { path: { shot_id: shot.id } },
          body: { move: change.move, expected: change.expected, regrind },
        }),
      );
      await onBench(change.bench);
      await inPlan(shot.profile_id, change.profile, "next");
    },
    onSuccess: () => navigate(`/plan/${shot.profile_id}`),
  });
}

const FIELDS = ["grind_setting", "dose_g", "water_c", "yield_g"] as const;
const MOVED_BY: Record<NextChange["where"], (typeof FIELDS)[number] | undefined> = {
  grind: "grind_setting",
  dose: "dose_g",
  water: "water_c",
  drink: "yield_g",
  profile: undefined,
};
const NAMES = { grind_setting: "grind", dose_g: "dose", water_c: "water", yield_g: "yield" };

/** What else of the bench goes back to the shot's own, so that only one thing differs from it. */
function GoesBack({ change, regrind }: { change: NextChange; regrind: boolean }) {
  const bench = useQuery(benchQuery()).data;
  if (!bench) return null;
  const others = FIELDS.filter(
    (field) =>
      field !== MOVED_BY[change.where] &&
      !(regrind && field === "grind_setting") &&
      change.bench[field] !== bench[field],
  );
  if (others.length === 0) return null;
  return (
    <p className="text-warn" data-part="goes-back">
      The bench has moved on since this shot: taking the change sets{" "}
      {listed(others.map((field) => `${NAMES[field]} ${plain(change.bench[field] ?? 0)}`))} again.
    </p>
  );
}
