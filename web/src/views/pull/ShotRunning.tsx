import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { Navigate, useParams } from "react-router";
import type { Shot } from "../../api/client";
import { shotQuery, shotsQuery } from "../../api/queries";
import { useLive } from "../../api/useLive";
import { useDialReading } from "../../profile/dial";
import { firstEvent } from "../../shots/events";
import { recipeWords } from "../../shots/Figures";
import { MeasuredChart } from "../../shots/MeasuredChart";
import { Loading, PageError } from "../../ui/Messages";
import { cn, styles } from "../../ui/styles";
import { VersionTitle } from "../../ui/VersionTitle";
import { CueBar, stillArmed } from "./CueBar";
import { DryRunOver } from "./DryRunOver";
import { During } from "./During";
import { nowOf } from "./now";

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
  const ran = useRef(running);
  const dial = useDialReading((state) => state.on);
  const armed = stillArmed(shot, { pressure_bar: shot.traces.pressure_bar.at(-1) ?? null });
  // Whoever just pulled is told what the stop has left to do; whoever comes back later is not.
  if (!running && !shot.dry)
    return (
      <Navigate to={`/read/${shot.id}`} replace state={ran.current && armed ? { armed } : null} />
    );
  const traces = running ? live.traces : shot.traces;
  const events = running ? live.events : shot.events;
  const now = nowOf(traces, events, shot.profile);
  const drip = firstEvent(events, "first_drip");
  const recipe = shot.dry ? `Drilled disc, no coffee · ${shot.machine}` : recipeWords(shot);
  return (
    <div className={styles.plan}>
      <main className={styles.planMain} data-part="plan-main">
        <div
          className={cn(
            styles.planHead,
            "pt-2 pb-1.5",
            running && "max-phone:py-1 max-phone:[&_p]:hidden",
          )}
        >
          <VersionTitle
            name={shot.profile_name}
            number={shot.number}
            state={shot.dry ? "dry run" : `shot ${shot.id}`}
          />
          <p className="mt-1 truncate text-quiet" title={recipe}>
            {recipe}
          </p>
        </div>
        {!live.connected && running && (
          <p role="status" className="mb-2 text-warn">
            Connection to Vapocline lost; the shot goes on and is recorded. Reconnecting.
          </p>
        )}
        <CueBar shot={shot} now={now} running={running} />
        <section
          className={cn(styles.sheet, running && "max-phone:[&_[data-ui=shot-chart]]:h-64.5")}
          aria-label="Shot"
        >
          <MeasuredChart
            profile={shot.profile}
            traces={traces}
            events={events}
            prediction={shot.prediction}
            live={running}
            dial={dial ? (shot.dial ?? undefined) : undefined}
            firstDrip_s={shot.first_drip_s ?? drip?.time_s ?? null}
            stop_s={now.stopped?.time_s ?? null}
            stopReason={now.stopped?.reason}
            label={`Shot ${shot.id}: pressure, flow and cup weight over ${(traces.time_s.at(-1) ?? 0).toFixed(0)} seconds`}
          />
        </section>
      </main>
      {running ? <During shot={shot} live={live} now={now} /> : <DryRunOver shot={shot} />}
    </div>
  );
}
