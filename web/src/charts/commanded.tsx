import type { Chart } from "./frame";
import type { Spot, Wanted } from "./labels";

/** What was commanded at each sample, in the command's own unit. */
export interface Commanded {
  time_s: number[];
  commanded: (number | null)[];
  control: (string | null)[];
  phase: number[];
}

interface Run {
  phase: number;
  control: "pressure" | "flow";
  points: [number, number][];
}

/** The commanded values as one run a phase; a valve's turns have no pane and are left out. */
export function commandedRuns(series: Commanded): Run[] {
  const runs: Run[] = [];
  for (const [i, t] of series.time_s.entries()) {
    const value = series.commanded[i];
    const control = series.control[i];
    if (value === null || value === undefined || !control || control === "valve") continue;
    const pane = control === "flow" ? "flow" : "pressure"; // a lever's command is given in bar
    const phase = series.phase[i] ?? 0;
    const last = runs.at(-1);
    if (last && last.phase === phase && last.control === pane) last.points.push([t, value]);
    else runs.push({ phase, control: pane, points: [[t, value]] });
  }
  return runs;
}

/** Step lines, with squares at both ends of each phase's command unless something else has them. */
export function CommandedLines(props: {
  chart: Chart;
  series: Commanded;
  selected?: number;
  squares?: boolean;
}) {
  const { chart, series, selected, squares = true } = props;
  return (
    <g data-trace="commanded">
      {commandedRuns(series).map((run) => {
        const y = run.control === "pressure" ? chart.bar : chart.flow;
        const at = run.points.map(([t, value]) => [chart.x(t), y(value)] as const);
        const ends = at.length > 1 ? [at[0], at.at(-1)] : [at[0]];
        const size = run.phase === selected ? 9 : 7;
        return (
          <g key={`${run.phase}-${run.points[0]?.[0]}`}>
            <path
              className={`commanded ${run.control}`}
              d={`M${at.map(([x, v]) => `${x.toFixed(1)} ${v.toFixed(1)}`).join("L")}`}
            />
            {ends.map(
              (end, i) =>
                squares &&
                end && (
                  <rect
                    // biome-ignore lint/suspicious/noArrayIndexKey: the two ends have no other name
                    key={i}
                    className={`square ${run.control} ${run.phase === selected ? "selected" : ""}`}
                    x={end[0] - size / 2}
                    y={end[1] - size / 2}
                    width={size}
                    height={size}
                  />
                ),
            )}
          </g>
        );
      })}
    </g>
  );
}

/** The word for the command's line, beside the longest move where it stands apart. */
export function commandedLabel(chart: Chart, series: Commanded): Wanted[] {
  const moves = commandedRuns(series).map((run) => {
    const values = run.points.map(([, value]) => value);
    return { run, size: Math.abs((values.at(-1) ?? 0) - (values[0] ?? 0)) };
  });
  const steepest = moves.sort((a, b) => b.size - a.size)[0];
  const middle = steepest?.run.points[Math.floor(steepest.run.points.length / 2)];
  if (!steepest || !middle) return [];
  const y = (steepest.run.control === "pressure" ? chart.bar : chart.flow)(middle[1]);
  const x = chart.x(middle[0]);
  const spots: Spot[] = [
    { x: x - 8, y: y - 4, anchor: "end" },
    { x: x + 8, y: y - 8, anchor: "start" },
    { x: x - 8, y: y - 20, anchor: "end" },
    { x, y: y + 24, anchor: "middle" },
  ];
  return [{ id: "commanded", words: "commanded", spots }];
}
