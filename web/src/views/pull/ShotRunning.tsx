import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { Link, Navigate, useNavigate, useParams } from "react-router";
import { answered, client, type Shot } from "../../api/client";
import { shotQuery, shotsQuery } from "../../api/queries";
import { type Live, useLive } from "../../api/useLive";
import { useActions } from "../../bench/actions";
import { loosened } from "../../profile/loose";
import { commandWords, endedWords, exitsWords } from "../../profile/words";
import { Figures, recipeWords } from "../../shots/Figures";
import { MeasuredChart } from "../../shots/MeasuredChart";
import { ErrorNote, Loading, PageError } from "../../ui/Messages";
import { VersionTitle } from "../../ui/VersionTitle";

/** One shot, from pump on to what to do next. */
export function ShotRunning() {
  const { shotId } = useParams();
  const id = Number(shotId);
  const query = useQuery({ ...shotQuery(id), enabled: Number.isInteger(id) });
  if (!Number.isInteger(id)) return <Navigate to="/pull" replace />;
  if (query.data) return <Whole key={id} shot={query.data} />;
  if (query.isError) return <PageError error={query.error} retry={() => query.refetch()} />;
  return <Loading what="the shot" />;
}

function Whole({ shot }: { shot: Shot }) {
  const running = shot.state === "running";
  const live = useLive(shot.id, running);
  const queryClient = useQueryClient();
  const over = running && live.state !== "running";
  useEffect(() => {
    if (over) queryClient.invalidateQueries({ queryKey: shotsQuery().queryKey });
  }, [over, queryClient]);
  const traces = running ? live.traces : shot.traces;
  const events = running ? live.events : shot.events;
  const stop = events.find((event) => event.what === "stop");
  const drip = events.find((event) => event.what === "first_drip");
  return (
    <div className="plan">
      <main className="plan-main">
        <div className="plan-head">
          <VersionTitle name={shot.profile_name} number={shot.number} state={`shot ${shot.id}`} />
          <p className="mt-1 truncate text-quiet" title={recipeWords(shot)}>
            {recipeWords(shot)}
          </p>
        </div>
        {!live.connected && running && (
          <p role="status" className="mb-2 text-warn">
            The line to Vapocline broke; the shot goes on and is recorded. Trying again.
          </p>
        )}
        <Cue shot={shot} phase={traces.phase.at(-1)} stopped={stop?.because} running={running} />
        <section className="sheet" aria-label="Shot">
          <MeasuredChart
            profile={shot.profile}
            traces={traces}
            forecast={shot.forecast}
            firstDrip_s={shot.first_drip_s ?? drip?.t ?? null}
            stop_s={stop?.t ?? null}
            because={stop?.because}
            label={`Shot ${shot.id}: pressure, flow and cup weight over ${traces.time_s.at(-1) ?? 0} seconds`}
          />
        </section>
      </main>
      {running ? (
        <During shot={shot} live={live} stopped={stop !== undefined} />
      ) : (
        <After shot={shot} />
      )}
    </div>
  );
}

/** What happens now, large enough to read from the machine. */
function Cue(props: {
  shot: Shot;
  phase: number | undefined;
  stopped: string | null | undefined;
  running: boolean;
}) {
  const { shot, stopped, running } = props;
  const phase = loosened(shot.profile).phases[props.phase ?? 0];
  const [large, small] = !running
    ? [
        shot.state === "done" ? "Shot stored" : "Shot incomplete",
        shot.trouble ?? "Every drip is in.",
      ]
    : stopped
      ? ["Stopped", `${endedWords(stopped)}. The last drips fall; wait until the gauge is at zero.`]
      : [phase?.name ?? "", phase ? `${commandWords(phase)}, ${exitsWords(phase)}` : ""];
  return (
    <p className="cue" role="status">
      <strong>{large}</strong>
      <span>{small}</span>
    </p>
  );
}

function During({ shot, live, stopped }: { shot: Shot; live: Live; stopped: boolean }) {
  const stop = useMutation({
    mutationFn: () =>
      answered(
        client.POST("/api/shots/{shot_id}/stop", { params: { path: { shot_id: shot.id } } }),
      ),
  });
  const signal = useMutation({
    mutationFn: () =>
      answered(
        client.POST("/api/shots/{shot_id}/signal", { params: { path: { shot_id: shot.id } } }),
      ),
  });
  const phase = shot.profile.phases[live.traces.phase.at(-1) ?? 0];
  const waits = !stopped && Boolean(phase?.exits.some((exit) => exit.when === "hand"));
  useActions("shot", [
    {
      id: "stop",
      words: "Stop the shot",
      key: "x",
      group: "Here",
      disabled: stopped,
      run: stop.mutate,
    },
    {
      id: "signal",
      words: "Give the hand signal",
      key: "h",
      group: "Here",
      disabled: !waits,
      run: signal.mutate,
    },
  ]);
  const last = <T,>(values: T[]) => values.at(-1);
  return (
    <aside className="forecast-column gap-3!" aria-label="Now">
      <Reading name="Time" value={last(live.traces.time_s)} unit="s" />
      <Reading name="Pressure" value={last(live.traces.pressure_bar)} unit="bar" />
      <Reading name="Water in" value={last(live.traces.water_in_ml_s)} unit="mL/s" />
      <Reading name="In the cup" value={last(live.traces.cup_g)} unit="g" />
      <ToGo weight={last(live.traces.cup_g) ?? 0} goal={shot.profile.stop.cup_g} />
      {(stop.error || signal.error) && <ErrorNote error={stop.error ?? signal.error} />}
      <div className="mt-auto grid gap-2">
        {waits && (
          <button type="button" className="btn btn-main" onClick={() => signal.mutate()}>
            Go on <kbd className="key">H</kbd>
          </button>
        )}
        <button
          type="button"
          className="btn btn-stop"
          disabled={stopped}
          onClick={() => stop.mutate()}
        >
          Stop now <kbd className="key">X</kbd>
        </button>
      </div>
    </aside>
  );
}

function Reading({ name, value, unit }: { name: string; value: number | undefined; unit: string }) {
  return (
    <p
      className="flex items-baseline justify-between border-b border-rule pb-2"
      data-reading={name}
    >
      <span>{name}</span>
      <span>
        <b className="font-mono text-[28px] font-medium leading-8 tracking-tight">
          {(value ?? 0).toFixed(1)}
        </b>
        <span className="inline-block w-10 pl-1.5 text-quiet">{unit}</span>
      </span>
    </p>
  );
}

/** The weight still to go, as a gap that closes. */
function ToGo({ weight, goal }: { weight: number; goal: number | null | undefined }) {
  if (!goal) return null;
  const share = Math.min(1, weight / goal);
  return (
    <div>
      <div className="h-3 overflow-hidden rounded-sm border border-edge" aria-hidden="true">
        <div className="h-full bg-action" style={{ width: `${share * 100}%` }} />
      </div>
      <p className="mt-1 text-quiet">
        {weight < goal
          ? `${(goal - weight).toFixed(1)} g to the stop at ${goal} g`
          : `past the stop at ${goal} g`}
      </p>
    </div>
  );
}

function After({ shot }: { shot: Shot }) {
  const navigate = useNavigate();
  const shots = useQuery(shotsQuery());
  const before = shots.data?.find((one) => one.id < shot.id && one.state === "done");
  const taste = () => navigate(`/taste/${shot.id}`);
  const again = () => navigate(`/pull/${shot.profile_id}/${shot.number}`);
  useActions("shot", [
    { id: "taste", words: "Taste this shot", key: "t", group: "Here", run: taste },
    { id: "again", words: "Pull it again", key: "p", group: "Here", run: again },
  ]);
  return (
    <aside className="forecast-column gap-3!" aria-label="Result">
      <h2>What came of it</h2>
      <Figures shot={shot} />
      <div className="grid gap-2 pt-2">
        <button type="button" className="btn" onClick={again}>
          Pull it again <kbd className="key">P</kbd>
        </button>
        {before && (
          <Link className="btn" to={`/taste/${before.id}/with/${shot.id}`}>
            Compare with the shot before
          </Link>
        )}
        <Link className="btn" to={`/plan/${shot.profile_id}`}>
          Change one thing in Plan
        </Link>
      </div>
      <button type="button" className="btn btn-main mt-auto w-full" onClick={taste}>
        Taste this shot <kbd className="key">T</kbd>
      </button>
    </aside>
  );
}
