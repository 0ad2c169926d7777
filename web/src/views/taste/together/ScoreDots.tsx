import type { SessionResults } from "../../../api/client";
import { useSize } from "../../../ui/useSize";
import { CupMark } from "../marks";

type View = SessionResults["views"][number];
type Line = View["lines"][number];
type Contrast = Line["contrasts"][number];
/** Two sides that are compared: the shots of each. */
export type Pair = Pick<Contrast, "first" | "second">;

const ROW = 36;
const TOP = 24;
const TICKS = [0, 2, 4, 6, 8, 10];
const WIDE = { name: 84, low: 84, high: 84, step: 150 };
const NARROW = { name: 78, low: 0, high: 0, step: 88 };

/**
 * Each line of the form on its scale: every cup's mean, and between two of them how far they lie
 * apart, with the range of the true difference. Lines without a clear difference are pale.
 */
export function ScoreDots(props: {
  view: View;
  shots: number[];
  names: Map<number, string>;
  pair: Pair | undefined;
}) {
  const { view, shots, names, pair } = props;
  const [ref, size] = useSize<HTMLDivElement>();
  const width = Math.max(300, size.width - 28);
  const room = width < 560 ? NARROW : WIDE;
  const left = room.name + room.low + 16;
  const right = width - room.high - room.step - 16;
  const x = (points: number) => left + ((right - left) * points) / 10;
  const height = TOP + ROW * view.lines.length + 6;
  return (
    <div ref={ref} className="min-w-0 px-3.5 pt-2 pb-2">
      <svg
        width="100%"
        height={height}
        role="img"
        aria-label={`Scores, ${view.warmth}, of ${view.taster ?? "all tasters"}`}
        className="block"
      >
        {TICKS.map((tick) => (
          <text
            key={tick}
            x={x(tick)}
            y={12}
            textAnchor="middle"
            fontSize="12"
            fill="var(--quiet)"
            className="font-mono"
          >
            {tick}
          </text>
        ))}
        {view.lines.map((line, i) => (
          <g key={line.field} transform={`translate(0 ${TOP + ROW * i + ROW / 2})`}>
            <Row line={line} shots={shots} names={names} x={x} pair={pair} />
            <Ends line={line} room={room} width={width} left={left} right={right} pair={pair} />
          </g>
        ))}
      </svg>
    </div>
  );
}

/** Whether a line has a clear difference. */
const isClear = (line: Line) =>
  line.contrasts.length === 0 || line.contrasts.some((one) => one.significant || one.split);

const same = (one: Pair, other: Pair | undefined) =>
  one.first.join() === other?.first.join() && one.second.join() === other?.second.join();

function Row(props: {
  line: Line;
  shots: number[];
  names: Map<number, string>;
  x: (points: number) => number;
  pair: Pair | undefined;
}) {
  const { line, shots, names, x, pair } = props;
  const spread = line.means.length > 1 ? 6 : 0;
  const contrast = line.contrasts.find((one) => same(one, pair));
  const ends = [contrast?.first, contrast?.second].map((side) =>
    mean(line.means.filter((one) => side?.includes(one.shot_id)).map((one) => one.points)),
  );
  return (
    <g opacity={isClear(line) ? 1 : 0.45}>
      <line x1={x(0)} x2={x(10)} stroke="var(--rule)" />
      {ends[0] !== undefined && ends[1] !== undefined && (
        <line
          x1={x(ends[0])}
          x2={x(ends[1])}
          stroke={contrast?.significant ? "var(--ink)" : "var(--edge)"}
          strokeWidth={contrast?.significant ? 3 : 1.5}
          strokeDasharray={contrast?.significant ? undefined : "2 3"}
        />
      )}
      {line.means.map((mean) => {
        const cup = shots.indexOf(mean.shot_id);
        const y = (cup - (shots.length - 1) / 2) * spread;
        return (
          <g key={mean.shot_id}>
            <title>{`${names.get(mean.shot_id)}: ${mean.points.toFixed(1)}`}</title>
            <CupMark cup={cup} x={x(mean.points)} y={y} />
          </g>
        );
      })}
    </g>
  );
}

const mean = (points: number[]) =>
  points.length ? points.reduce((sum, one) => sum + one, 0) / points.length : undefined;

function Ends(props: {
  line: Line;
  room: typeof WIDE;
  width: number;
  left: number;
  right: number;
  pair: Pair | undefined;
}) {
  const { line, room, width, left, right, pair } = props;
  const contrast = line.contrasts.find((one) => same(one, pair));
  const clear = isClear(line);
  return (
    <>
      <text y={4} fontWeight={600} fontSize="13.5" fill={clear ? "var(--ink)" : "var(--quiet)"}>
        {line.name}
      </text>
      {room.low > 0 && (
        <>
          <text x={left - 12} y={4} textAnchor="end" fontSize="13" fill="var(--quiet)">
            {line.low}
          </text>
          <text x={right + 12} y={4} fontSize="13" fill="var(--quiet)">
            {line.high}
          </text>
        </>
      )}
      {contrast && (
        <text
          x={width}
          y={4}
          textAnchor="end"
          fontSize="13"
          fill={contrast.significant ? "var(--ink)" : "var(--quiet)"}
          className={contrast.significant ? "font-mono font-medium" : ""}
        >
          {stepWords(contrast, room === NARROW)}
        </text>
      )}
    </>
  );
}

const signed = (points: number) => `${points < 0 ? "−" : "+"}${Math.abs(points).toFixed(1)}`;

function stepWords(one: Contrast, short: boolean) {
  if (one.split) return "split";
  if (one.low === null || one.high === null) return short ? "not known" : "not known yet";
  const range = `${signed(one.low)} to ${signed(one.high)}`;
  return short || !one.significant ? range : `${signed(one.points)}, ${range}`;
}
