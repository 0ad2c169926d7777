import { bisectRight } from "d3-array";
import type { Shot } from "../../api/client";
import { Lane, type LaneMark, TraceLabels, Traces } from "../../charts/marks";
import { between, largest, tracePath, valueAt } from "../../charts/paths";
import { ShotChart } from "../../charts/ShotChart";
import { firstEvent } from "../../shots/events";

/** Two shots on one clock from pump on: the second in its colours, the first as a grey line. */
export function OverlaidChart(props: { first: Shot; second: Shot; names: [string, string] }) {
  const { first, second, names } = props;
  const both = [first.traces, second.traces];
  const stops = [first, second].map((shot) => firstEvent(shot.events, "stopped")?.time_s ?? null);
  const most = (of: (traces: Shot["traces"]) => number) => Math.max(...both.map(of));
  const extent = {
    seconds: Math.ceil(
      Math.max(5, ...stops.map((stop, i) => (stop ?? both[i]?.time_s.at(-1) ?? 0) * 1.06 + 1)),
    ),
    bar: Math.max(
      9,
      most((one) => largest(one.pressure_bar)),
    ),
    flow: Math.max(
      2,
      most((one) => largest(one.water_in_ml_s)),
    ),
    grams: Math.max(
      10,
      most((one) => largest(one.cup_g)),
    ),
  };
  const clipped = both.map((traces) => clip(traces, extent.seconds));
  const [grey, coloured] = clipped;
  if (!grey || !coloured) return null;
  const inside = between(grey.time_s, 0, stops[0] ?? extent.seconds);
  const marks: LaneMark[] = [first, second].flatMap((shot, i): LaneMark[] =>
    shot.first_drip_s === null
      ? []
      : [
          {
            id: `drip-${i}`,
            t: shot.first_drip_s,
            name: `${names[i]} first drip`,
            value: `${shot.first_drip_s.toFixed(1)} s`,
            open: i === 0,
          },
        ],
  );
  return (
    <ShotChart
      label={`Pressure, flow and cup weight of ${names[0]} in grey and ${names[1]} in colour`}
      extent={extent}
      pressureTitle="Pressure"
    >
      {(chart) => (
        <>
          <g data-trace="first">
            {(["pressure_bar", "cup_out_ml_s", "cup_g"] as const).map((channel) => (
              <path
                key={channel}
                className="trace ghost"
                d={tracePath(chart, grey, channel, inside)}
              />
            ))}
            <path
              className="trace ghost thin"
              d={tracePath(chart, grey, "water_in_ml_s", inside)}
            />
          </g>
          <Traces chart={chart} curves={coloured} stop_s={stops[1] ?? null} />
          <Lane chart={chart} marks={marks} />
          {stops.map((t, i) =>
            t == null ? null : (
              <Stop
                key={names[i]}
                x={chart.x(t)}
                top={chart.upper.top}
                bottom={chart.lower.bottom}
              />
            ),
          )}
          <TraceLabels
            chart={chart}
            curves={coloured}
            also={[grey]}
            names={{ pressure_bar: names[1] }}
            others={[
              ...stopLabels(chart, stops, names),
              {
                id: "grey",
                words: names[0],
                spots: [0.6, 0.45, 0.75, 0.3, 0.9].flatMap((share) => {
                  const t = share * (stops[0] ?? extent.seconds);
                  const y = chart.bar(valueAt(grey.time_s, grey.pressure_bar, t) ?? 0);
                  return [18, -9, 30, -22].map((dy) => ({
                    x: chart.x(t),
                    y: y + dy,
                    anchor: "middle" as const,
                  }));
                }),
              },
            ]}
            classes={{ grey: "t-quiet", stop0: "t-quiet", stop1: "" }}
          />
        </>
      )}
    </ShotChart>
  );
}

function clip(traces: Shot["traces"], seconds: number) {
  const end = bisectRight(traces.time_s, seconds);
  return Object.fromEntries(
    Object.entries(traces).map(([name, values]) => [name, values.slice(0, end)]),
  ) as Shot["traces"];
}

function Stop({ x, top, bottom }: { x: number; top: number; bottom: number }) {
  return <path className="event" d={`M${x} ${top}V${bottom}`} />;
}

function stopLabels(
  chart: Parameters<Parameters<typeof ShotChart>[0]["children"]>[0],
  stops: (number | null)[],
  names: [string, string],
) {
  return stops.flatMap((t, i) => {
    if (t == null) return [];
    const words = `${names[i]} stops ${t.toFixed(1)} s`;
    const rows = [14, 30, 46, 62].map((dy) => chart.upper.top + dy);
    const spots = rows.flatMap((y) => [
      { x: chart.x(t) - 7, y, anchor: "end" as const },
      { x: chart.x(t) + 7, y, anchor: "start" as const },
    ]);
    return [{ id: `stop${i}`, words, spots }];
  });
}
