import { useQuery } from "@tanstack/react-query";
import { scaleTime } from "d3-scale";
import { careQuery } from "../../api/care";
import type { CalibrationDue, Kept } from "../../api/client";
import type { Subject } from "../../api/queries";
import { dayMonth, moment } from "../../ui/format";
import { useSize } from "../../ui/useSize";

const [RIGHT, TOP, ROW, AXIS] = [12, 26, 24, 22];
const DAY_MS = 86_400_000;
const LEAST_MS = 60 * DAY_MS; // of the past and of what is to come
const NARROW = 480;

/** A thing's calibrations along time: when each was measured, which is in use, when it falls due. */
export function CalibrationStrip(props: {
  subject: Subject;
  id: number;
  kept: Kept[];
  /** What each kind is called, in the order they are shown. */
  names: Map<string, string>;
}) {
  const { subject, id, kept, names } = props;
  const care = useQuery(careQuery()).data?.find((one) => one.kind === subject && one.id === id);
  const rows = [...names].flatMap(([what, name]) => {
    const mine = kept.filter((one) => one.what === what);
    return mine.length
      ? [
          rowOf(
            name,
            mine,
            care?.calibrations.find((one) => one.what === what),
          ),
        ]
      : [];
  });
  return rows.length > 0 ? <Strip rows={rows} /> : null;
}

function Strip({ rows }: { rows: StripLine[] }) {
  const [ref, { width }] = useSize<HTMLDivElement>();
  const now = Date.now();
  const from = Math.min(now - LEAST_MS, ...rows.flatMap((one) => one.marks.map((mark) => mark.at)));
  const to = Math.max(now + LEAST_MS, ...rows.map((one) => one.until ?? now));
  const left = width < NARROW ? 120 : 190;
  const x = scaleTime([from, to], [left, Math.max(left, width - RIGHT)]);
  const bottom = TOP + rows.length * ROW;
  const height = bottom + AXIS;
  return (
    <div ref={ref} className="fit-plot calibration-strip" style={{ height }}>
      {width > 0 && (
        <svg
          width={width}
          height={height}
          role="img"
          aria-label={`Along time. ${rows.map((one) => one.words).join("; ")}`}
        >
          {x.ticks(width < NARROW ? 3 : 6).map((tick) => (
            <text
              key={tick.getTime()}
              className="tick"
              x={x(tick)}
              y={bottom + 16}
              textAnchor="middle"
            >
              {dayMonth(tick)}
            </text>
          ))}
          {rows.map((row, i) => (
            <StripRow
              key={row.name}
              row={row}
              y={TOP + (i + 0.5) * ROW}
              x={x}
              now={now}
              wide={width >= NARROW}
            />
          ))}
          <g className="level">
            <path d={`M${x(now)} ${TOP - 8}V${bottom}`} />
            <text x={x(now)} y={TOP - 12} textAnchor="middle">
              today
            </text>
          </g>
        </svg>
      )}
    </div>
  );
}

interface StripLine {
  name: string;
  words: string;
  marks: { id: number; at: number; used: boolean }[];
  /** When the one in use was measured, and when it falls due; undefined where nothing does. */
  since: number | undefined;
  until: number | undefined;
  due: boolean;
  because: string | null;
}

function rowOf(name: string, kept: Kept[], care: CalibrationDue | undefined): StripLine {
  const used = kept.find((one) => one.in_use);
  const due = care?.state === "due";
  const words = [
    name,
    used ? `in use, of ${moment(used.measured_at)}` : "none in use",
    due && `to be measured again: ${care.because}`,
    care && !due && `due on ${dayMonth(new Date(care.due_at))}`,
    kept.length > 1 && `${kept.length} in all`,
  ].filter(Boolean);
  return {
    name,
    words: words.join(", "),
    marks: kept.map((one) => ({
      id: one.id,
      at: Date.parse(one.measured_at),
      used: one.in_use,
    })),
    since: used && care ? Date.parse(used.measured_at) : undefined,
    until: care && Date.parse(care.due_at),
    due,
    because: care?.because ?? null,
  };
}

function StripRow(props: {
  row: StripLine;
  y: number;
  x: (time: number) => number;
  now: number;
  wide: boolean;
}) {
  const { row, y, x, now, wide } = props;
  const end = row.due ? now : row.until;
  return (
    <g className={row.due ? "due" : ""} data-strip={row.name}>
      <title>{row.words}</title>
      <text className="words" x={0} y={y + 4}>
        {row.name}
      </text>
      {row.since !== undefined && end !== undefined && (
        <path className="lasts" d={`M${x(row.since)} ${y}H${x(end)}m0 -6v12`} />
      )}
      {row.because !== null && end !== undefined && wide && (
        <text className="words" x={x(end) + 8} y={y + 4}>
          {row.because}
        </text>
      )}
      {row.marks.map(({ id, at, used }) => (
        <rect
          key={id}
          className={used ? "mark in-use" : "mark"}
          x={x(at) - 4}
          y={y - 4}
          width="8"
          height="8"
        />
      ))}
    </g>
  );
}
