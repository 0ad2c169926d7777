import type { Prediction, Profile } from "../api/client";
import type { LiveTraces } from "../api/useLive";
import { CommandedLines, commandedLabel } from "../charts/commanded";
import type { Extent } from "../charts/frame";
import {
  Bands,
  Lane,
  type LaneMark,
  StopMark,
  TraceLabels,
  Traces,
  WeightGround,
} from "../charts/marks";
import { between, largest, tracePath } from "../charts/paths";
import { ShotChart } from "../charts/ShotChart";
import { endedWords } from "../profile/words";

/** What the chart of a shot must hold: the shot so far, and what was forecast. */
export function measuredExtent(traces: LiveTraces, forecast: Prediction | undefined): Extent {
  const last = traces.time_s.at(-1) ?? 0;
  const forecastEnd = (forecast?.shot_time_s.value ?? 20) * 1.12 + 1;
  const series = forecast?.series;
  return {
    seconds: Math.ceil(Math.max(last, forecastEnd)),
    bar: Math.max(9, largest(traces.pressure_bar), largest(series?.pressure_bar ?? [])),
    flow: Math.max(2, largest(traces.water_in_ml_s), largest(series?.water_in_ml_s ?? [])),
    grams: Math.max(10, largest(traces.cup_g), largest(series?.cup_g ?? [])),
  };
}

interface Props {
  profile: Profile;
  traces: LiveTraces;
  forecast: Prediction;
  firstDrip_s: number | null;
  stop_s: number | null;
  because?: string | null | undefined;
  label: string;
}

/** Commanded and achieved of one shot over the forecast made before it. */
export function MeasuredChart({
  profile,
  traces,
  forecast,
  firstDrip_s,
  stop_s,
  because,
  label,
}: Props) {
  const control = traces.phase.map((phase) => profile.phases[phase]?.command.control ?? null);
  const inside = between(forecast.series.time_s, 0, forecast.shot_time_s.value ?? 0);
  const reason = because === "cup_g" ? `at ${profile.stop.cup_g} g` : endedWords(because);
  const stop = stop_s === null ? undefined : { t: stop_s, words: reason };
  const marks: LaneMark[] =
    firstDrip_s === null
      ? []
      : [
          {
            id: "first-drip",
            t: firstDrip_s,
            name: "first drip",
            value: `${firstDrip_s.toFixed(1)} s`,
          },
        ];
  const forecastLabel = {
    id: "forecast",
    words: "forecast",
    spots: [0.9, 0.75, 0.6, 0.3].map((share) => {
      const i = inside[Math.floor(share * (inside.length - 1))] ?? 0;
      return { t: forecast.series.time_s[i] ?? 0, bar: forecast.series.pressure_bar[i] ?? 0 };
    }),
  };
  return (
    <ShotChart label={label} extent={measuredExtent(traces, forecast)} className="shot-chart">
      {(chart) => (
        <>
          <WeightGround chart={chart} curves={traces} />
          <Bands chart={chart} prediction={forecast} />
          <g data-trace="forecast">
            <path
              className="trace ghost"
              d={tracePath(chart, forecast.series, "pressure_bar", inside)}
            />
            <path
              className="trace ghost"
              d={tracePath(chart, forecast.series, "cup_out_ml_s", inside)}
            />
          </g>
          <CommandedLines chart={chart} series={{ ...traces, control }} />
          <Traces chart={chart} curves={traces} stop_s={stop_s} />
          <Lane chart={chart} marks={marks} />
          {stop && <StopMark chart={chart} stop={stop} />}
          <TraceLabels
            chart={chart}
            curves={traces}
            stop={stop}
            also={[forecast.series]}
            names={{ pressure_bar: "achieved" }}
            others={[
              ...commandedLabel(chart, { ...traces, control }),
              {
                id: "forecast",
                words: "forecast",
                spots: forecastLabel.spots.flatMap(({ t, bar }) => [
                  { x: chart.x(t), y: chart.bar(bar) - 9, anchor: "middle" as const },
                  { x: chart.x(t), y: chart.bar(bar) + 18, anchor: "middle" as const },
                ]),
              },
            ]}
            classes={{ forecast: "t-quiet", commanded: "t-pressure" }}
          />
        </>
      )}
    </ShotChart>
  );
}
