import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo } from "react";
import { Link, Navigate, useNavigate, useParams, useSearchParams } from "react-router";
import {
  ApiError,
  answered,
  type Bench,
  type Check,
  client,
  type Forecast,
  type Prepared,
  type Profile,
  type PullRequest,
  type RefusedField,
} from "../../api/client";
import {
  benchQuery,
  cutOffQuery,
  preparedQuery,
  profilesQuery,
  seriesQuery,
  shotsQuery,
  versionQuery,
} from "../../api/queries";
import { refusalWords } from "../../api/refusals";
import { tabId } from "../../api/tab";
import { useActions } from "../../bench/actions";
import { PUMP_ON } from "../../charts/frame";
import { isDialed, useDialReading } from "../../profile/dial";
import { ForecastChart, forecastExtent } from "../../profile/ForecastChart";
import { lastPlanned } from "../../profile/lastPlanned";
import { type LooseProfile, loosened } from "../../profile/loose";
import { PhaseList } from "../../profile/PhaseList";
import { useForecast } from "../../profile/useForecast";
import { phaseName, stopWords } from "../../profile/words";
import { usePreparing } from "../../shots/preparing";
import { Button, ButtonLink } from "../../ui/Button";
import { Key } from "../../ui/Key";
import { Empty, ErrorNote, Loading, PageError } from "../../ui/Messages";
import { cn, styles } from "../../ui/styles";
import { grams } from "../../ui/units";
import { VersionTitle } from "../../ui/VersionTitle";
import { Checklist } from "./Checklist";
import { CutOff } from "./CutOff";
import { Practice } from "./Practice";

/** Pull: what is about to be run, and the start. */
export function PullView() {
  const { profileId, number } = useParams();
  const [search] = useSearchParams();
  const [id, version] = [Number(profileId), Number(number)];
  if (profileId === undefined) return <NoneChosen />;
  if (!Number.isInteger(id) || !Number.isInteger(version)) return <Navigate to="/pull" replace />;
  return <Before key={`${id}-${version}`} id={id} number={version} dry={search.has("dry")} />;
}

/** A refusal of the profile by the name of its phase. */
const phaseProblem = (problem: RefusedField, profile: LooseProfile) =>
  `${phaseName(problem.field, profile)}: ${refusalWords(problem)}`;

/** A shot that runs comes first; else the profile last planned; else a way to one. */
function NoneChosen() {
  const profiles = useQuery(profilesQuery());
  const shots = useQuery(shotsQuery());
  if (profiles.isError)
    return <PageError error={profiles.error} retry={() => profiles.refetch()} />;
  if (!profiles.data || !shots.data) return <Loading what="the profiles" />;
  const running = shots.data.find((shot) => shot.state === "running");
  if (running) return <Navigate to={`/pull/shot/${running.id}`} replace />;
  const chosen = lastPlanned(profiles.data);
  if (chosen) return <Navigate to={`/pull/${chosen.id}/${chosen.newest}`} replace />;
  return (
    <Empty title="Nothing to pull yet">
      <p>A pull runs a saved profile on the machine. Plan one first.</p>
      <ButtonLink kind="main" to="/plan">
        Go to Plan
      </ButtonLink>
    </Empty>
  );
}

function Before({ id, number, dry }: { id: number; number: number; dry: boolean }) {
  const version = useQuery(versionQuery(id, number));
  const bench = useQuery(benchQuery());
  const profile = version.data && loosened(version.data.profile);
  const now = useForecast(profile);
  const prediction = now.answered?.forecast.prediction;
  const extent = useMemo(() => forecastExtent(prediction), [prediction]);
  const { standsOn } = usePreparing.getState();
  const dialed = isDialed(bench.data?.machine);
  const dial = useDialReading((state) => state.on) && dialed;
  // With another coffee, grinder, basket or machine, all of it is to be made sure of again.
  useEffect(() => {
    if (bench.data) standsOn(bench.data);
  }, [bench.data, standsOn]);
  const pull = usePull(id, number, dry);
  if (version.isError) return <PageError error={version.error} retry={() => version.refetch()} />;
  if (!version.data || !profile || !bench.data) return <Loading what="the profile" />;
  const answers = Boolean(now.answered) && !now.stale;
  const cues = pull.prepared?.cues ?? [];
  return (
    <div className={styles.plan}>
      <main className={styles.planMain} data-part="plan-main">
        <div className={styles.planHead}>
          <VersionTitle
            name={profile.name}
            number={number}
            state={dry ? "dry run, without coffee" : "ready to pull"}
          />
          <Link className={cn(styles.word, "mt-1 inline-block")} to={`/plan/${id}`}>
            Change it in Plan
          </Link>
        </div>
        <CutOff />
        {now.problems.length > 0 && (
          <div className="mb-2">
            <ErrorNote
              error={new Error(now.problems.map((one) => phaseProblem(one, profile)).join("\n"))}
            />
          </div>
        )}
        <section className={styles.sheet} aria-label="Forecast of the shot">
          {dry ? (
            <p className="p-4">
              A drilled disc in place of coffee: the machine runs its stages, and each is timed
              against the plan.
            </p>
          ) : (
            <ForecastChart axis={PUMP_ON} extent={extent} answered={now.answered} dial={dial} />
          )}
          {cues.length > 0 ? <CueList cues={cues} /> : <PhaseList profile={version.data.profile} />}
        </section>
      </main>
      <Ready
        bench={bench.data}
        profile={version.data.profile}
        forecast={now.answered?.forecast}
        pull={pull}
        answers={answers}
        id={id}
        number={number}
        dry={dry}
      />
    </div>
  );
}

interface Pull {
  prepared: Prepared | undefined;
  error: Error | null;
  lacking: string[];
  starting: boolean;
  start: (despite: Check[]) => void;
  missing: Prepared["items"];
}

/** Everything between the checklist and the pump. */
function usePull(id: number, number: number, dry: boolean): Pull {
  const { confirmed, weighed_g, grind_setting, series_id, rehearse, begun } = usePreparing();
  const series = useQuery({ ...seriesQuery(series_id ?? 0), enabled: series_id !== null });
  const joins = series.data?.profile_id === id && series.data.number === number;
  const request: PullRequest = {
    profile_id: id,
    number,
    page: tabId(),
    confirmed,
    despite: [],
    weighed_g: weighed_g as number | null,
    grind_setting: grind_setting as number | null,
    series_id: joins && !dry ? series_id : null,
    dry,
    rehearse,
  };
  const prepared = useQuery(preparedQuery(request));
  const navigate = useNavigate();
  const queryClient = useQueryClient();
  const start = useMutation({
    mutationFn: (despite: Check[]) =>
      answered(client.POST("/api/shots", { body: { ...request, despite } })),
    onSuccess: (shot) => {
      begun();
      queryClient.invalidateQueries({ queryKey: shotsQuery().queryKey });
      queryClient.invalidateQueries({ queryKey: cutOffQuery().queryKey });
      navigate(`/pull/shot/${shot.id}`);
    },
  });
  const refused = start.error instanceof ApiError ? start.error.problems : [];
  const lacking = refused.filter((one) => one.field.startsWith("checks."));
  return {
    prepared: prepared.data,
    error: lacking.length > 0 ? null : (start.error ?? prepared.error),
    lacking: lacking.map((one) => one.got),
    starting: start.isPending,
    start: start.mutate,
    missing: prepared.data?.items.filter((one) => one.state !== "ready") ?? [],
  };
}

/** The checklist, what else to set, and the start; what is missing is said before the pump starts. */
function Ready(props: {
  bench: Bench;
  profile: Profile;
  forecast: Forecast | undefined;
  pull: Pull;
  answers: boolean;
  id: number;
  number: number;
  dry: boolean;
}) {
  const { bench, profile, forecast, pull, answers, dry } = props;
  const { prepared, missing } = pull;
  const ready = answers && prepared !== undefined && !pull.starting;
  const start = () => pull.start([]);
  useActions("pull", [
    {
      id: "start",
      words: bench.machine.wired ? "Start the pump" : "Start the clock as you start the pump",
      key: "p",
      group: "Here",
      disabled: !ready,
      run: start,
    },
  ]);
  const despite = missing.map((one) => one.check);
  return (
    <aside className={cn(styles.forecastColumn, "gap-3!")} aria-label="Before the pump starts">
      <Checklist bench={bench} prepared={prepared} error={pull.error} />
      {!dry && (
        <>
          <Expect profile={profile} forecast={forecast} byHand={Boolean(prepared?.by_hand)} />
          <Practice bench={bench} id={props.id} number={props.number} />
        </>
      )}
      <Care cautions={forecast?.cautions ?? []} />
      <div className={cn(styles.columnFoot, "max-phone:static")}>
        {pull.lacking.length > 0 && missing.length > 0 && (
          <div role="alert" className="rounded-sm border border-warn p-2">
            <b className="text-warn">Not yet:</b>
            <ul className="list-disc pl-5">
              {missing.map((one) => (
                <li key={one.check}>{one.words}</li>
              ))}
            </ul>
            <Button className="mt-2 w-full" disabled={!ready} onClick={() => pull.start(despite)}>
              Start all the same
            </Button>
          </div>
        )}
        <Button kind="main" className="w-full" disabled={!ready} onClick={start}>
          {bench.machine.wired ? "Start the pump" : "Start the clock"} <Key>P</Key>
        </Button>
      </div>
    </aside>
  );
}

/** The cue sheet of a machine worked by hand. */
function CueList({ cues }: { cues: Prepared["cues"] }) {
  return (
    <ol className="grid list-decimal gap-1 border-t border-rule p-4 pl-9" aria-label="Cue sheet">
      {cues.map((cue) => (
        <li key={cue.phase}>
          <b>{cue.say}</b>, <span className="text-quiet">{cue.until}</span>
        </li>
      ))}
    </ol>
  );
}

/** What to expect, in a sentence. */
function Expect(props: { profile: Profile; forecast: Forecast | undefined; byHand: boolean }) {
  const { profile, forecast, byHand } = props;
  const stop = stopWords(profile.stop);
  const time = forecast?.prediction.shot_time_s.value;
  const cup = forecast?.prediction.yield_g.value;
  return (
    <p>
      {byHand ? "Stop it at" : "It stops at"} <b>{stop.first}</b> {stop.others}
      {time != null && cup != null && (
        <>
          ; expect about <b>{time.toFixed(0)} s</b> and {grams(cup, 1)} with the last drips
        </>
      )}
      .
    </p>
  );
}

function Care({ cautions }: { cautions: string[] }) {
  return (
    <section className="rounded-sm border border-warn p-2" aria-label="Take care">
      <b className="text-warn">Take care.</b>
      {cautions.map((words) => (
        <p key={words} className="mt-1">
          {words}
        </p>
      ))}
    </section>
  );
}
