import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { Link, Navigate, useNavigate, useParams } from "react-router";
import { answered, type Bench, client, type Forecast, type Profile } from "../../api/client";
import { benchQuery, profilesQuery, shotsQuery, versionQuery } from "../../api/queries";
import { useActions } from "../../bench/actions";
import { PUMP_ON } from "../../charts/frame";
import { ForecastChart, forecastExtent } from "../../profile/ForecastChart";
import { loosened } from "../../profile/loose";
import { useForecast } from "../../profile/useForecast";
import { commandWords, exitsWords, stopWords } from "../../profile/words";
import { plain } from "../../ui/format";
import { Empty, ErrorNote, Loading, PageError } from "../../ui/Messages";
import { VersionTitle } from "../../ui/VersionTitle";

/** Pull: what is about to be run, and the start. */
export function PullView() {
  const { profileId, number } = useParams();
  const [id, version] = [Number(profileId), Number(number)];
  if (profileId === undefined) return <NoneChosen />;
  if (!Number.isInteger(id) || !Number.isInteger(version)) return <Navigate to="/pull" replace />;
  return <Before key={`${id}-${version}`} id={id} number={version} />;
}

/** A shot that runs comes first; else the profile last planned; else a way to one. */
function NoneChosen() {
  const profiles = useQuery(profilesQuery());
  const shots = useQuery(shotsQuery());
  if (profiles.isError)
    return <PageError error={profiles.error} retry={() => profiles.refetch()} />;
  if (!profiles.data || !shots.data) return <Loading what="the profiles" />;
  const running = shots.data.find((shot) => shot.state === "running");
  if (running) return <Navigate to={`/pull/shot/${running.id}`} replace />;
  const last = Number(localStorage.getItem("vapocline.profile"));
  const chosen = profiles.data.find((one) => one.id === last) ?? profiles.data[0];
  if (chosen) return <Navigate to={`/pull/${chosen.id}/${chosen.newest}`} replace />;
  return (
    <Empty title="Nothing to pull yet">
      <p>A pull runs a saved profile on the machine. Plan one first.</p>
      <Link className="btn btn-main" to="/plan">
        Go to Plan
      </Link>
    </Empty>
  );
}

function Before({ id, number }: { id: number; number: number }) {
  const version = useQuery(versionQuery(id, number));
  const bench = useQuery(benchQuery());
  const profile = version.data && loosened(version.data.profile);
  const now = useForecast(profile);
  const prediction = now.answered?.forecast.prediction;
  const extent = useMemo(() => forecastExtent(prediction), [prediction]);
  const start = useStart(id, number);
  const ready = Boolean(now.answered) && !now.stale && !start.isPending;
  useActions("pull", [
    {
      id: "start",
      words: "Start the pump",
      key: "p",
      group: "Here",
      disabled: !ready,
      run: start.mutate,
    },
  ]);
  if (version.isError) return <PageError error={version.error} retry={() => version.refetch()} />;
  if (!version.data || !profile || !bench.data) return <Loading what="the profile" />;
  return (
    <div className="plan">
      <main className="plan-main">
        <div className="plan-head">
          <VersionTitle name={profile.name} number={number} state="ready to pull" />
          <Link className="word mt-1 inline-block" to={`/plan/${id}`}>
            Change it in Plan
          </Link>
        </div>
        {start.error && (
          <div className="mb-2">
            <ErrorNote error={start.error} />
          </div>
        )}
        {now.problems.length > 0 && (
          <div className="mb-2">
            <ErrorNote error={new Error(now.problems.map((one) => one.message).join("\n"))} />
          </div>
        )}
        <section className="sheet" aria-label="Forecast of the shot">
          <ForecastChart axis={PUMP_ON} extent={extent} answered={now.answered} />
          <PhaseList profile={version.data.profile} />
        </section>
      </main>
      <aside className="forecast-column" aria-label="Before the pump starts">
        <Checks
          bench={bench.data}
          profile={version.data.profile}
          forecast={now.answered?.forecast}
        />
        <button
          type="button"
          className="btn btn-main mt-auto w-full"
          disabled={!ready}
          onClick={() => start.mutate()}
        >
          Start the pump <kbd className="key">P</kbd>
        </button>
      </aside>
    </div>
  );
}

function useStart(id: number, number: number) {
  const navigate = useNavigate();
  const queryClient = useQueryClient();
  return useMutation({
    mutationFn: () => answered(client.POST("/api/shots", { body: { profile_id: id, number } })),
    onSuccess: (shot) => {
      queryClient.invalidateQueries({ queryKey: shotsQuery().queryKey });
      navigate(`/pull/shot/${shot.id}`);
    },
  });
}

/** What each phase does and when it ends, in words. */
export function PhaseList({ profile }: { profile: Profile }) {
  return (
    <ol className="grid gap-1 border-t border-rule p-4">
      {loosened(profile).phases.map((phase, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a phase has no name but its place
        <li key={i}>
          <b>{phase.name}</b>: {commandWords(phase)},{" "}
          <span className="text-quiet">{exitsWords(phase)}</span>
        </li>
      ))}
    </ol>
  );
}

/** What to have ready, with the numbers that matter at the machine. */
function Checks(props: { bench: Bench; profile: Profile; forecast: Forecast | undefined }) {
  const { bench, profile, forecast } = props;
  const stop = stopWords(profile.stop);
  const time = forecast?.prediction.shot_time_s.value;
  const cup = forecast?.prediction.cup_g.value;
  const left = bench.coffee?.bags[0]?.remaining_g;
  return (
    <div className="space-y-4">
      <h2>Before the pump starts</h2>
      <ol className="list-decimal space-y-2 pl-5">
        <li>
          Weigh <b>{bench.dose_g.toFixed(1)} g</b>
          {bench.coffee && <> of {bench.coffee.name}</>}
          {bench.grinder && bench.grind_setting !== null && (
            <>
              , ground at <b>{plain(bench.grind_setting)}</b> on {bench.grinder.name}
            </>
          )}
          {bench.basket && <>, into {bench.basket.name}</>}
          {left != null && left < bench.dose_g && (
            <span className="text-warn">; the bag has only {left.toFixed(0)} g left</span>
          )}
          .
        </li>
        <li>
          {bench.machine.name} at <b>{plain(bench.water_c)} °C</b>
          {bench.boiler_c !== null && `, the boiler at ${plain(bench.boiler_c)} °C`}, warm and
          flushed.
        </li>
        <li>Portafilter locked in, an empty cup on the scale, tared.</li>
        <li>
          It stops at <b>{stop.first}</b> {stop.others}
          {time != null && cup != null && (
            <>
              ; expect about <b>{time.toFixed(0)} s</b> and {cup.toFixed(1)} g with the last drips
            </>
          )}
          .
        </li>
      </ol>
      {bench.machine.simulated && (
        <p className="rounded-sm border border-rule p-2">
          This runs on the simulated machine: its puck is its own, so the shot will differ from the
          forecast.
        </p>
      )}
      <section className="rounded-sm border border-warn p-2" aria-label="Take care">
        <b className="text-warn">Take care.</b>
        {(forecast?.cautions ?? []).map((words) => (
          <p key={words} className="mt-1">
            {words}
          </p>
        ))}
      </section>
    </div>
  );
}
