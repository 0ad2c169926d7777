import { useMemo } from "react";
import type { Finding, Overlays, Shot, ShotReading } from "../../api/client";
import type { Axis, Chart } from "../../charts/frame";
import { Band, Span } from "../../charts/marks";
import { between, tracePath, valueAt } from "../../charts/paths";
import { useDialReading } from "../../profile/dial";
import { firstEvent } from "../../shots/events";
import { MeasuredChart, measuredExtent } from "../../shots/MeasuredChart";
import { placesOf } from "./findingPlaces";
import { ResistancePane } from "./ResistancePane";

interface Props {
  shot: Shot;
  read: ShotReading | undefined;
  /** Those that are numbered, in their order. */
  findings: Finding[];
  open: number | undefined;
  choose: (index: number) => void;
  overlays: Overlays | undefined;
  laid: Shot[];
  axis: Axis;
  third: boolean;
}

const WHOLE = 0.8; // of the shot: a span this long needs no strong tint to be seen

/** The shot over its forecast, with what was found marked on its curves and in all panes. */
export function ReadChart(props: Props) {
  const { shot, read, findings, open, overlays, laid, axis, third } = props;
  const stopped = firstEvent(shot.events, "stopped");
  const dial = useDialReading((state) => state.on);
  const extent = useMemo(() => {
    const most = laid.map((one) => measuredExtent(one.traces, undefined));
    const own = measuredExtent(shot.traces, shot.prediction);
    const amount = axis.by === "seconds" ? {} : { amount: (axis.amount.at(-1) ?? 1) * 1.04 };
    const top = (of: "bar" | "flow" | "grams") => Math.max(own[of], ...most.map((one) => one[of]));
    return {
      seconds: own.seconds,
      bar: top("bar"),
      flow: top("flow"),
      grams: top("grams"),
      ...amount,
    };
  }, [shot, laid, axis]);
  const chosen = open === undefined ? undefined : findings[open];
  return (
    <MeasuredChart
      profile={shot.profile}
      traces={shot.traces}
      events={shot.events}
      prediction={shot.prediction}
      firstDrip_s={shot.first_drip_s}
      stop_s={stopped?.time_s ?? shot.shot_time_s}
      stopReason={stopped?.reason}
      label={`Shot ${shot.id}: pressure, flow, cup weight and resistance over ${(shot.traces.time_s.at(-1) ?? 0).toFixed(0)} seconds`}
      axis={axis}
      dial={dial ? (shot.dial ?? undefined) : undefined}
      extent={extent}
      third={third && read?.reading.derived !== null}
      commandsIn={read?.reading.commands_in ?? undefined}
      under={(chart) => (
        <>
          {chosen && (
            <g data-span={chosen.kind}>
              <Span
                chart={chart}
                className={
                  chosen.to_s - chosen.from_s > WHOLE * (shot.shot_time_s ?? 1)
                    ? "found whole"
                    : "found"
                }
                from_s={chosen.from_s}
                to_s={Math.max(chosen.to_s, chosen.from_s + 0.3)}
              />
            </g>
          )}
          <EarlierBand chart={chart} overlays={overlays} />
          {laid.map((one) => (
            <Laid key={one.id} chart={chart} shot={one} overlays={overlays} />
          ))}
        </>
      )}
      over={(chart) => (
        <>
          {chart.third && read?.reading.derived && (
            <ResistancePane
              chart={chart}
              derived={read.reading.derived}
              usualIs={read.against.length > 0 ? "usual for this coffee" : "by the model"}
            />
          )}
          <Numbers {...props} chart={chart} />
        </>
      )}
    />
  );
}

/** The numbers of what was found, each a button on its curve. */
function Numbers({ chart, shot, findings, open, choose }: Props & { chart: Chart }) {
  const places = placesOf(chart, shot.traces, findings);
  return (
    <g>
      {findings.map((finding, i) =>
        finding.weight === "note" && i !== open ? null : (
          // biome-ignore lint/a11y/useSemanticElements: an SVG has no button
          <g
            // biome-ignore lint/suspicious/noArrayIndexKey: a finding has no name but its place
            key={i}
            role="button"
            tabIndex={-1}
            aria-label={`Finding ${i + 1}: ${finding.title}`}
            data-mark={finding.kind}
            className={i === open ? "number open" : "number"}
            transform={`translate(${places[i]?.x ?? 0} ${places[i]?.y ?? 0})`}
            onClick={() => choose(i)}
            onPointerEnter={() => choose(i)}
            onKeyDown={(event) => event.key === "Enter" && choose(i)}
          >
            <rect x={-9} y={-9} width={18} height={18} rx={3} />
            <text y={4.5} textAnchor="middle">
              {i + 1}
            </text>
          </g>
        ),
      )}
    </g>
  );
}

/** Where earlier pulls of this version lay. */
function EarlierBand({ chart, overlays }: { chart: Chart; overlays: Overlays | undefined }) {
  const band = overlays?.band;
  if (!band) return null;
  return (
    <g data-trace="earlier" className="earlier">
      {(["pressure_bar", "cup_out_ml_s"] as const).map((channel) => (
        <Band
          key={channel}
          chart={chart}
          time_s={band.time_s}
          low={band.low[channel] ?? []}
          high={band.high[channel] ?? []}
          channel={channel}
        />
      ))}
    </g>
  );
}

/** Another shot as grey lines, moved onto this one's clock, named at its end. */
function Laid(props: { chart: Chart; shot: Shot; overlays: Overlays | undefined }) {
  const { chart, shot, overlays } = props;
  const by = overlays?.over.find((one) => one.shot.id === shot.id)?.shift_s;
  if (by === null || by === undefined) return null;
  const moved = { ...shot.traces, time_s: shot.traces.time_s.map((t) => t + by) };
  const end = (shot.shot_time_s ?? shot.traces.time_s.at(-1) ?? 0) + by;
  const inside = between(moved.time_s, Math.max(0, by), end);
  const at = valueAt(moved.time_s, moved.cup_out_ml_s, end - 1) ?? 0;
  return (
    <g data-trace={`over-${shot.id}`}>
      {(["pressure_bar", "cup_out_ml_s"] as const).map((channel) => (
        <path key={channel} className="trace ghost" d={tracePath(chart, moved, channel, inside)} />
      ))}
      <text
        className="label t-quiet"
        x={Math.min(chart.x(end) + 4, chart.right - 4)}
        y={chart.flow(at) + 4}
        textAnchor={chart.x(end) > chart.right - 60 ? "end" : "start"}
      >
        shot {shot.id}
      </text>
    </g>
  );
}
