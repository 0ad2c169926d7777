import type { SessionResults } from "../../../api/client";
import { useSize } from "../../../ui/useSize";
import { CupMark, colourOf } from "../marks";

type View = SessionResults["views"][number];
type Line = View["lines"][number];

const ROW = 36;
const TOP = 24;
const TICKS = [0, 2, 4, 6, 8, 10];
const WIDE = { name: 84, low: 84, high: 84, step: 116 };
const NARROW = { name: 78, low: 0, high: 0, step: 66 };

/**
 * Each line of the form on its scale: every cup's mean, with half of the smallest difference to
 * believe to either side, so that bars that do not overlap differ. Lines where none does are pale.
 */
export function IntervalDots(props: {
  view: View;
  shots: number[];
  names: Map<number, string>;
  pair: { first: number; second: number } | undefined;
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
            <Row line={line} shots={shots} names={names} x={x} />
            <Ends line={line} room={room} width={width} left={left} right={right} pair={pair} />
          </g>
        ))}
      </svg>
    </div>
  );
}

/** Whether any two cups differ by what can be believed. */
function tells(line: Line) {
  return line.apart.length === 0 || line.apart.some((one) => one.believed || one.split);
}

function Row(props: {
  line: Line;
  shots: number[];
  names: Map<number, string>;
  x: (points: number) => number;
}) {
  const { line, shots, names, x } = props;
  const spread = line.means.length > 1 ? 6 : 0;
  return (
    <g opacity={tells(line) ? 1 : 0.4}>
      <line x1={x(0)} x2={x(10)} stroke="var(--rule)" />
      {line.means.map((mean) => {
        const cup = shots.indexOf(mean.shot_id);
        const y = (cup - (shots.length - 1) / 2) * spread;
        const half = mean.least / 2;
        return (
          <g key={mean.shot_id}>
            <title>{`${names.get(mean.shot_id)}: ${mean.points.toFixed(1)}`}</title>
            <line
              x1={x(Math.max(0, mean.points - half))}
              x2={x(Math.min(10, mean.points + half))}
              y1={y}
              y2={y}
              stroke={colourOf(cup)}
              strokeWidth="5"
              opacity="0.25"
            />
            <CupMark cup={cup} x={x(mean.points)} y={y} />
          </g>
        );
      })}
    </g>
  );
}

function Ends(props: {
  line: Line;
  room: typeof WIDE;
  width: number;
  left: number;
  right: number;
  pair: { first: number; second: number } | undefined;
}) {
  const { line, room, width, left, right, pair } = props;
  const apart = line.apart.find((one) => one.first === pair?.first && one.second === pair?.second);
  const told = tells(line);
  return (
    <>
      <text y={4} fontWeight={600} fontSize="13.5" fill={told ? "var(--ink)" : "var(--quiet)"}>
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
      {apart && (
        <text
          x={width}
          y={4}
          textAnchor="end"
          fontSize="13"
          fill={apart.believed ? "var(--ink)" : "var(--quiet)"}
          className={apart.believed ? "font-mono font-medium" : ""}
        >
          {stepWords(apart, room === NARROW)}
        </text>
      )}
    </>
  );
}

function stepWords(apart: Line["apart"][number], short: boolean) {
  if (apart.split) return "split";
  if (apart.believed) return `${apart.points > 0 ? "+" : "−"}${Math.abs(apart.points).toFixed(1)}`;
  return short ? "too small" : "too small to tell";
}
