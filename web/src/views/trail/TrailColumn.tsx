import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "react-router";
import { answered, client, type TrailNode, type TrailSummary } from "../../api/client";
import { keepAnswer } from "../../api/keepAnswer";
import { shotQuery, trailSummaryQuery } from "../../api/queries";
import { failureWords } from "../../api/refusals";
import { useActions } from "../../bench/actions";
import { useDraftInPlan, useRecipeOnBench } from "../../profile/useIntoPlan";
import { Button } from "../../ui/Button";
import { DataTable } from "../../ui/DataTable";
import { moment, signed } from "../../ui/format";
import { Key } from "../../ui/Key";
import { FieldError } from "../../ui/NumberField";
import { cn, styles } from "../../ui/styles";
import { amountNumber, readUnit } from "../../ui/units";
import { OverBaseline } from "./OverBaseline";
import { WhatWorked } from "./WhatWorked";

const ROWS = [
  { name: "Shot time", field: "shot_time_s", digits: 1, unit: "s" },
  { name: "First drip", field: "first_drip_s", digits: 1, unit: "s" },
  { name: "Drink", field: "yield_g", digits: 1, unit: "g" },
  { name: "Peak", field: "peak_pressure_bar", digits: 1, unit: "bar" },
  { name: "Strength (TDS)", field: "tds_pct", digits: 1, unit: "%" },
  { name: "Extraction (EY)", field: "extraction_yield_pct", digits: 1, unit: "%" },
] as const;

/** The chosen shot against the baseline, what can be done with it, and what the trail comes to. */
export function TrailColumn(props: { coffeeId: number; node: TrailNode; summary: TrailSummary }) {
  const { coffeeId, node, summary } = props;
  const { shot } = node;
  const baseline = summary.baseline?.shot;
  const over = baseline && baseline.id !== shot.id ? baseline : null;
  const doing = useDoing(coffeeId, node, over?.id ?? node.came_from, baseline?.id);
  const beside = [shot.id, node.came_from, summary.best?.shot.id, baseline?.id];
  const several = [...new Set(beside.filter((one) => one != null))].sort((a, b) => a - b);
  return (
    <aside className={cn(styles.forecastColumn, "gap-2!")} aria-label="The shot and its trail">
      <h2>
        {shot.profile_name} v{shot.number}, shot {shot.id}
      </h2>
      <OverBaseline id={shot.id} over={over?.id ?? null} />
      <DataTable
        what="Figure"
        heads={over ? ["shot", "against baseline"] : ["shot"]}
        className="w-full [&_tbody_th]:py-0.5 [&_td]:text-right [&_td]:tabular-nums [&_th]:text-left [&_th]:font-normal [&_thead]:text-small [&_thead]:text-quiet [&_thead_th:not(:first-child)]:text-right"
        lines={ROWS.filter(({ field }) => shot[field] !== null).map(
          ({ name, field, digits, unit }) => {
            const [here, there] = [shot[field] as number, over?.[field]];
            return {
              id: field,
              name,
              cells: [
                <span key="here">
                  <b>{amountNumber(here, unit, digits)}</b> {readUnit(unit)}
                </span>,
                ...(over ? [there == null ? "unknown" : signed(here - there, digits)] : []),
              ],
            };
          },
        )}
      />
      <div className="grid grid-cols-2 gap-1.5">
        {doing.actions.map(({ id, words, key, disabled, run }) => (
          <Button key={id} disabled={disabled} onClick={run}>
            {words} <Key>{key === "Enter" ? "Enter" : key.toUpperCase()}</Key>
          </Button>
        ))}
      </div>
      {several.length > 2 && (
        <Link className={cn(styles.word, "self-start")} to={`/taste/several?shots=${several}`}>
          Beside the best{baseline && " and the baseline"}
        </Link>
      )}
      {doing.error && <FieldError>{failureWords(doing.error) ?? ""}</FieldError>}
      <Best summary={summary} />
      <BaselineWords summary={summary} />
      <WhatWorked worked={summary.worked} />
      <Alike alike={summary.alike} />
    </aside>
  );
}

function useDoing(
  coffeeId: number,
  node: TrailNode,
  other: number | null,
  baseline: number | undefined,
) {
  const { shot } = node;
  const navigate = useNavigate();
  const queryClient = useQueryClient();
  const onBench = useRecipeOnBench();
  const inPlan = useDraftInPlan();
  const recipe = {
    coffee_id: coffeeId,
    machine_id: node.machine_id,
    ...(node.grinder_id === null ? {} : { grinder_id: node.grinder_id }),
    grind_setting: shot.grind_setting,
    dose_g: shot.dose_g,
    water_c: shot.water_c,
    yield_g: shot.target_yield_g,
  };
  const again = useMutation({
    mutationFn: () => onBench(recipe),
    onSuccess: () => navigate(`/pull/${shot.profile_id}/${shot.number}`),
  });
  const branch = useMutation({
    mutationFn: async () => {
      const { profile } = await queryClient.fetchQuery(shotQuery(shot.id));
      await onBench(recipe);
      await inPlan(shot.profile_id, profile, "trail");
    },
    onSuccess: () => navigate(`/plan/${shot.profile_id}`),
  });
  const pin = useMutation({
    mutationFn: (shot_id: number | null) =>
      answered(
        client.PUT("/api/coffees/{coffee_id}/baseline", {
          params: { path: { coffee_id: coffeeId } },
          body: { shot_id },
        }),
      ),
    onSuccess: (now) => keepAnswer(queryClient, trailSummaryQuery(coffeeId).queryKey, now),
  });
  const pinned = baseline === shot.id;
  const actions = [
    { id: "trail-read", words: "Read", key: "Enter", run: () => navigate(`/read/${shot.id}`) },
    {
      id: "trail-again",
      words: "Pull again",
      key: "p",
      disabled: again.isPending,
      run: () => again.mutate(),
    },
    {
      id: "trail-branch",
      words: "Change in Plan",
      key: "e",
      disabled: branch.isPending,
      run: () => branch.mutate(),
    },
    {
      id: "trail-compare",
      words: "Compare",
      key: "c",
      disabled: other === null,
      run: () => {
        if (other === null) return;
        navigate(`/taste/${Math.min(other, shot.id)}/with/${Math.max(other, shot.id)}`);
      },
    },
    {
      id: "trail-next",
      words: "Next change",
      key: "n",
      run: () => navigate(`/next/${shot.id}`),
    },
    {
      id: "trail-baseline",
      words: pinned ? "No baseline" : "Make baseline",
      key: "b",
      disabled: pin.isPending,
      run: () => pin.mutate(pinned ? null : shot.id),
    },
  ];
  useActions(
    "trail-shot",
    actions.map((one) => ({ ...one, group: "Here" as const })),
  );
  return { actions, error: again.error ?? branch.error ?? pin.error };
}

/** Other coffees of which their roasters say some of the same: what worked there may work here. */
function Alike({ alike }: { alike: TrailSummary["alike"] }) {
  if (alike.length === 0) return null;
  return (
    <section aria-label="Coffees like it" className="border-t border-rule pt-2">
      <h3>Coffees like it</h3>
      <ul>
        {alike.map((one) => (
          <li key={one.id} className="py-0.5">
            <Link className={styles.word} to={`/trail/${one.id}`}>
              {one.name}
            </Link>
            <span className="text-quiet">
              , {one.shares.join(", ")}; {one.shots} {one.shots === 1 ? "shot" : "shots"}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Best({ summary }: { summary: TrailSummary }) {
  const { best } = summary;
  return (
    <section aria-label="Best so far" className="border-t border-rule pt-2">
      <h2>Best so far</h2>
      {best ? (
        <p>
          <b>
            {best.shot.profile_name} v{best.shot.number}
          </b>{" "}
          liked {Number(best.liking.points.toFixed(1))}
          {best.liking.error !== null && ` ± ${best.liking.error.toFixed(1)}`} in{" "}
          {best.liking.pulls === 1 ? "one pull" : `${best.liking.pulls} pulls`}
          {best.shots > 1 && `, pulled ${best.shots} times`}; newest shot {best.shot.id}.
        </p>
      ) : (
        <p className="text-quiet">Not known until a shot is tasted.</p>
      )}
    </section>
  );
}

function BaselineWords({ summary }: { summary: TrailSummary }) {
  const { baseline } = summary;
  return (
    <section aria-label="Baseline" className="border-t border-rule pt-2">
      <h2>Baseline</h2>
      {baseline ? (
        <>
          <p>
            Shot {baseline.shot.id}, {baseline.shot.profile_name} v{baseline.shot.number}; last
            pulled {moment(baseline.pulled_at)}.
          </p>
          {baseline.pull_again && <p className="text-warn">{baseline.pull_again}</p>}
        </>
      ) : (
        <p className="text-quiet">
          None yet: choose a shot and press <Key>B</Key> to compare the others with it.
        </p>
      )}
    </section>
  );
}
