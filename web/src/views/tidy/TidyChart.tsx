import { useMemo } from "react";
import type { TidyResult } from "../../api/client";
import { CommandedLines } from "../../charts/commanded";
import { Lane, StopMark, TraceLabels, Traces, WeightGround } from "../../charts/marks";
import { between, largest, tracePath } from "../../charts/paths";
import { ShotChart } from "../../charts/ShotChart";
import { forecastLabel } from "../../shots/MeasuredChart";

/** What was recorded, what it was tidied to, and what that should do: on one clock. */
export function TidyChart({ result }: { result: TidyResult }) {
  const { tidied, traces, prediction, first_drip_s: drip, stop_s: stop } = result;
  const ghost = prediction?.series;
  const extent = useMemo(
    () => ({
      seconds: Math.ceil(
        Math.max(traces.time_s.at(-1) ?? 0, (prediction?.shot_time_s.value ?? 0) + 2),
      ),
      bar: Math.max(9, largest(traces.pressure_bar), largest(ghost?.pressure_bar ?? [])),
      flow: Math.max(2, largest(traces.water_in_ml_s), largest(ghost?.water_in_ml_s ?? [])),
      grams: Math.max(10, largest(traces.cup_g), largest(ghost?.cup_g ?? [])),
    }),
    [traces, ghost, prediction],
  );
  const asked = {
    time_s: tidied.time_s,
    commanded: tidied.asked,
    control: tidied.time_s.map(() => tidied.control),
    phase: partsOf(tidied.asked),
  };
  const inside = ghost ? between(ghost.time_s, 0, prediction?.shot_time_s.value ?? 0) : [];
  return (
    <ShotChart
      label={`Recorded over ${(stop ?? 0).toFixed(1)} seconds, tidied to ${tidied.profile.phases.length} phases`}
      extent={extent}
    >
      {(chart) => (
        <>
          <WeightGround chart={chart} curves={traces} />
          {ghost && (
            <g data-trace="predicted">
              {(["pressure_bar", "water_in_ml_s", "cup_g"] as const).map((channel) => (
                <path
                  key={channel}
                  className="trace ghost"
                  d={tracePath(chart, ghost, channel, inside)}
                />
              ))}
            </g>
          )}
          <Traces chart={chart} curves={traces} stop_s={stop} />
          <g data-trace="tidied">
            <CommandedLines chart={chart} series={asked} />
          </g>
          <Lane
            chart={chart}
            marks={
              drip === null
                ? []
                : [{ id: "first-drip", t: drip, name: "first drip", value: `${drip.toFixed(1)} s` }]
            }
          />
          {stop !== null && (
            <StopMark chart={chart} stop={{ t: stop, words: "of the recording" }} />
          )}
          <TraceLabels
            chart={chart}
            curves={traces}
            also={ghost ? [ghost] : []}
            names={{ pressure_bar: "recorded" }}
            others={prediction ? [forecastLabel(chart, prediction, "predicted")] : []}
            classes={{ forecast: "t-quiet" }}
          />
        </>
      )}
    </ShotChart>
  );
}

/** Which stretch of what is asked each moment belongs to: they part where it jumps or pauses. */
function partsOf(asked: (number | null)[]) {
  let part = 0;
  let slope: number | undefined;
  return asked.map((value, i) => {
    const before = asked[i - 1] ?? null;
    if (i > 0 && value !== null && before !== null) {
      const now = value - before;
      if (slope !== undefined && Math.abs(now - slope) > 0.004) part += 1;
      slope = now;
    } else {
      part += 1;
      slope = undefined;
    }
    return part;
  });
}
