import { type PointerEvent, useEffect, useRef, useState } from "react";
import type { BroughtPicture, RecordingToImport, SheetColumn } from "../../api/client";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { NumberField, type Typed } from "../../ui/NumberField";
import { cn, styles } from "../../ui/styles";
import { amount, readUnit } from "../../ui/units";
import { CHANNEL_WORDS } from "./FromSheet";

type Channel = Exclude<SheetColumn["channel"], "time_s" | "commanded">;
type Point = [number, number];

/** Two places of an axis with their values; a place is undefined until it is clicked. */
interface Axis {
  px: [number | undefined, number | undefined];
  values: [Typed, Typed];
}

interface Line {
  channel: Channel;
  axis: Axis;
  points: Point[];
}

const PLACES = ["first", "second"] as const;
const CHANNELS = ["pressure_bar", "water_in_ml_s", "cup_g", "group_c"] as const;
const UNITS: Record<Channel, string> = {
  pressure_bar: "bar",
  water_in_ml_s: "mL/s",
  cup_g: "g",
  group_c: "°C",
};

function newLine(channel: Channel): Line {
  return { channel, axis: { px: [undefined, undefined], values: [0, 10] }, points: [] };
}

/** A picture of a curve, traced by hand: two points on each axis, then clicks along the line. */
export function FromPicture({
  ready,
}: {
  ready: (recording: RecordingToImport | undefined) => void;
}) {
  const [image, setImage] = useState<string>();
  const [time, setTime] = useState<Axis>({ px: [undefined, undefined], values: [0, 30] });
  const [lines, setLines] = useState<Line[]>([newLine("pressure_bar")]);
  const [at, setAt] = useState(0);
  const line = lines[at];
  const setLine = (to: Partial<Line>) =>
    setLines((old) => old.map((one, i) => (i === at ? { ...one, ...to } : one)));
  useEffect(() => {
    const picture = pictureOf(time, lines);
    ready(picture ? { picture, columns: [], begins_s: 0 } : undefined);
  }, [time, lines, ready]);
  if (!image || !line) {
    return (
      <label className="max-w-2xl">
        A picture of a curve, as PNG or JPEG
        <input
          type="file"
          className="block pt-1"
          accept="image/*"
          onChange={(event) => {
            const file = event.target.files?.[0];
            if (file) setImage(URL.createObjectURL(file));
          }}
        />
      </label>
    );
  }
  const step = nextStep(time, line);
  const click = (point: Point) => {
    if (step.axis === "time") setTime(withPlace(time, step.place, point[0]));
    else if (step.axis === "value") setLine({ axis: withPlace(line.axis, step.place, point[1]) });
    else setLine({ points: [...line.points, point] });
  };
  const undo = () => {
    if (line.points.length > 0) setLine({ points: line.points.slice(0, -1) });
    else if (line.axis.px.some((one) => one !== undefined)) setLine({ axis: without(line.axis) });
    else setTime(without(time));
  };
  const free = CHANNELS.filter((one) => !lines.some((other) => other.channel === one));
  return (
    <div className="grid content-start gap-2">
      <p role="status" className="text-figure" data-part="step">
        {step.words}
      </p>
      <div className="flex flex-wrap items-center gap-2">
        <Values label="Time" unit="s" axis={time} set={setTime} />
        <Choice
          label="Line"
          value={line.channel}
          options={CHANNELS.map((value) => ({
            value,
            words: CHANNEL_WORDS[value],
            disabled: value !== line.channel && !free.includes(value),
          }))}
          onChange={(channel) => setLine({ channel })}
        />
        <Values
          label={CHANNEL_WORDS[line.channel]}
          unit={UNITS[line.channel]}
          axis={line.axis}
          set={(axis) => setLine({ axis })}
        />
        <Button onClick={undo}>Undo a click</Button>
        {free[0] && line.points.length > 0 && (
          <Button
            onClick={() => {
              setLines([...lines, newLine(free[0] as Channel)]);
              setAt(lines.length);
            }}
          >
            Another line
          </Button>
        )}
        {lines.length > 1 && (
          <Choice
            label="Which line"
            value={at}
            options={lines.map((one, i) => ({ value: i, words: CHANNEL_WORDS[one.channel] }))}
            onChange={setAt}
          />
        )}
      </div>
      <Sheet image={image} time={time} lines={lines} at={at} click={click} />
    </div>
  );
}

/** The picture with what was clicked on it. The arrow keys move a cross, Enter clicks there. */
function Sheet(props: {
  image: string;
  time: Axis;
  lines: Line[];
  at: number;
  click: (point: Point) => void;
}) {
  const { image, time, lines, at, click } = props;
  const box = useRef<HTMLDivElement>(null);
  const [cross, setCross] = useState<Point>([40, 40]);
  const place = (event: PointerEvent): Point => {
    const bounds = box.current?.getBoundingClientRect();
    return [event.clientX - (bounds?.left ?? 0), event.clientY - (bounds?.top ?? 0)];
  };
  const line = lines[at];
  return (
    <div
      ref={box}
      role="application"
      // biome-ignore lint/a11y/noNoninteractiveTabindex: it is clicked by the keyboard too
      tabIndex={0}
      aria-label="The picture: arrow keys move the cross, Enter marks its place"
      className={cn(styles.sheet, "relative w-fit max-w-full flex-none cursor-crosshair")}
      data-part="picture"
      onPointerDown={(event) => {
        setCross(place(event));
        click(place(event));
      }}
      onKeyDown={(event) => {
        const by = event.shiftKey ? 10 : 1;
        const moves: Record<string, Point> = {
          ArrowLeft: [-by, 0],
          ArrowRight: [by, 0],
          ArrowUp: [0, -by],
          ArrowDown: [0, by],
        };
        const move = moves[event.key];
        if (move) setCross(([x, y]) => [x + move[0], y + move[1]]);
        if (event.key === "Enter") click(cross);
        if (move || event.key === "Enter") event.preventDefault();
      }}
    >
      <img
        src={image}
        alt="The curve to trace"
        className="block max-h-[70vh] max-w-full"
        draggable={false}
      />
      <svg className="pointer-events-none absolute inset-0 h-full w-full" aria-hidden="true">
        {PLACES.map((name, i) => {
          const [x, y] = [time.px[i], line?.axis.px[i]];
          return (
            <g key={name} strokeDasharray="4 3">
              {x !== undefined && <path className="stroke-action" d={`M${x} 0V4000`} />}
              {y !== undefined && <path className="stroke-warn" d={`M0 ${y}H4000`} />}
            </g>
          );
        })}
        {lines.map((one, i) => (
          <g key={one.channel} className={i === at ? "" : "opacity-40"}>
            <path
              className="fill-none stroke-stop"
              strokeWidth="1.5"
              d={[...one.points]
                .sort((a, b) => a[0] - b[0])
                .map(([x, y], j) => `${j ? "L" : "M"}${x} ${y}`)
                .join("")}
            />
            {one.points.map(([x, y]) => (
              <circle key={`${x},${y}`} cx={x} cy={y} r="3" className="fill-sheet stroke-stop" />
            ))}
          </g>
        ))}
        <path
          className="stroke-ink"
          d={`M${cross[0] - 7} ${cross[1]}h14M${cross[0]} ${cross[1] - 7}v14`}
        />
      </svg>
    </div>
  );
}

/** The two values of an axis. */
function Values(props: { label: string; unit: string; axis: Axis; set: (axis: Axis) => void }) {
  const { label, unit, axis, set } = props;
  const change = (place: 0 | 1) => (value: Typed) => {
    const values: [Typed, Typed] = [...axis.values];
    values[place] = value;
    set({ ...axis, values });
  };
  return (
    <span className="flex items-center gap-1.5">
      {label} from
      <NumberField
        label={`${label}, first point`}
        value={axis.values[0]}
        unit={unit}
        onChange={change(0)}
        signed
      />
      to
      <NumberField
        label={`${label}, second point`}
        value={axis.values[1]}
        unit={unit}
        onChange={change(1)}
        signed
      />
      {readUnit(unit)}
    </span>
  );
}

type Step = { axis: "time" | "value" | "line"; place: 0 | 1; words: string };

/** What is to be clicked next. */
function nextStep(time: Axis, line: Line): Step {
  for (const place of [0, 1] as const)
    if (time.px[place] === undefined)
      return { axis: "time", place, words: `Click where ${time.values[place] ?? "?"} s stands.` };
  for (const place of [0, 1] as const)
    if (line.axis.px[place] === undefined)
      return {
        axis: "value",
        place,
        words: `Click where ${pointWords(line.axis.values[place], UNITS[line.channel])} stands.`,
      };
  return {
    axis: "line",
    place: 0,
    words: `Click along the ${CHANNEL_WORDS[line.channel]} line, ${line.points.length} so far.`,
  };
}

function withPlace(axis: Axis, place: 0 | 1, px: number): Axis {
  const places: Axis["px"] = [...axis.px];
  places[place] = px;
  return { ...axis, px: places };
}

function without(axis: Axis): Axis {
  return axis.px[1] !== undefined
    ? { ...axis, px: [axis.px[0], undefined] }
    : { ...axis, px: [undefined, undefined] };
}

function known(axis: Axis) {
  const [first_px, second_px] = axis.px;
  const [first, second] = axis.values;
  if (first_px === undefined || second_px === undefined) return undefined;
  if (typeof first !== "number" || typeof second !== "number") return undefined;
  return { first_px, first, second_px, second };
}

const LEAST = 4;

/** What has been traced so far, once it says something. */
function pictureOf(time: Axis, lines: Line[]): BroughtPicture | undefined {
  const axis = known(time);
  const traced = lines.flatMap((line) => {
    const own = known(line.axis);
    return own && line.points.length >= LEAST
      ? [{ channel: line.channel, axis: own, points: line.points }]
      : [];
  });
  return axis && traced.length > 0 ? { time: axis, lines: traced } : undefined;
}

const pointWords = (value: Typed | undefined, unit: string) =>
  typeof value === "number" ? amount(value, unit) : `? ${readUnit(unit)}`;
