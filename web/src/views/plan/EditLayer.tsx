import { useQuery } from "@tanstack/react-query";
import { dequal } from "dequal";
import { type KeyboardEvent, type PointerEvent, useRef } from "react";
import type { Prediction } from "../../api/client";
import { benchQuery } from "../../api/queries";
import { type Axis, type Chart, chartOf, type Extent } from "../../charts/frame";
import { isDialed, useDialReading } from "../../profile/dial";
import { useDragging } from "../../profile/dragging";
import { finenessOf } from "../../profile/edits";
import type { LooseProfile } from "../../profile/loose";
import { useAskEarly } from "../../profile/useForecast";
import type { Planned } from "../../profile/usePlanned";
import { useSize } from "../../ui/useSize";
import { type Handle, handlesOf } from "./handles";
import { Scrub } from "./Scrub";

interface Props {
  extent: Extent;
  axis: Axis;
  planned: Planned;
  prediction: Prediction | undefined;
  selected: number;
  select: (index: number) => void;
}

/** What can be taken by the hand over the curves: squares, edges, the stop; and the moment read. */
export function EditLayer({ extent, axis, planned, prediction, selected, select }: Props) {
  const [ref, { width, height }] = useSize<HTMLDivElement>();
  const bench = useQuery(benchQuery());
  const dial = useDialReading((state) => state.on) && isDialed(bench.data?.machine);
  const chart = chartOf(width, height, extent, axis);
  return (
    <div ref={ref} className="absolute inset-0 z-10">
      {width > 0 && height > 0 && prediction && (
        // biome-ignore lint/a11y/noSvgWithoutTitle: each handle has a name of its own
        <svg className="chart handles absolute inset-0" width={width} height={height}>
          <Scrub chart={chart} prediction={prediction} select={select} />
          {inFront(
            handlesOf({
              chart,
              profile: planned.profile,
              prediction,
              machine: bench.data?.machine,
              dial,
            }),
            selected,
          ).map((handle) => (
            <Taken
              key={handle.id}
              {...{ handle, chart, planned, select }}
              active={handle.phase === selected}
            />
          ))}
        </svg>
      )}
    </div>
  );
}

/** Squares over edges, and those of the selected phase last: they lie on top. */
function inFront(handles: Handle[], selected: number) {
  const height = (one: Handle) =>
    (one.shape === "square" ? 2 : 0) + (one.phase === selected ? 1 : 0);
  return handles.toSorted((a, b) => height(a) - height(b));
}

interface Held {
  x: number;
  y: number;
  base: LooseProfile;
  handle: Handle;
  field: string;
}

const UP: Record<string, number> = { ArrowUp: 1, ArrowDown: -1 };
const ALONG: Record<string, number> = { ArrowRight: 1, ArrowLeft: -1 };
let drags = 0;

function Taken(props: {
  handle: Handle;
  chart: Chart;
  planned: Planned;
  select: (index: number) => void;
  active: boolean;
}) {
  const { handle, chart, planned, select, active } = props;
  const held = useRef<Held | null>(null);
  const { begin, end } = useDragging.getState();
  const askEarly = useAskEarly();

  function take(event: PointerEvent<SVGGElement>) {
    if (event.button !== 0) return;
    event.preventDefault();
    event.currentTarget.setPointerCapture(event.pointerId);
    event.currentTarget.focus({ preventScroll: true });
    const field = `drag:${handle.id}:${++drags}`;
    held.current = { x: event.clientX, y: event.clientY, base: planned.profile, handle, field };
    begin();
    select(handle.phase);
  }

  function drag(event: PointerEvent<SVGGElement>) {
    const from = held.current;
    if (!from) return;
    const dy = event.clientY - from.y;
    const dt = chart.timeAt(from.handle.x + event.clientX - from.x) - chart.timeAt(from.handle.x);
    // A square is moved one way unless the hand clearly means both.
    const along = Math.abs(event.clientX - from.x) > 6 ? dt : 0;
    const moved = from.handle.moved(from.base, dy, along, finenessOf(event));
    if (dequal(moved, planned.profile)) return;
    askEarly(moved);
    planned.edit(from.field, moved);
  }

  function release() {
    if (!held.current) return;
    held.current = null;
    end();
  }

  function press(event: KeyboardEvent<SVGGElement>) {
    const [up, along] = [UP[event.key] ?? 0, ALONG[event.key] ?? 0];
    if ((!up && !along) || event.ctrlKey || event.metaKey) return;
    event.preventDefault();
    event.stopPropagation();
    const next = handle.nudged(planned.profile, up, along, finenessOf(event));
    planned.edit(`key:${handle.id}`, next);
  }

  return (
    <g
      className={`handle takes-${handle.shape} ${active ? "active" : ""}`}
      role="slider"
      tabIndex={active ? 0 : -1}
      aria-label={handle.label}
      aria-valuenow={handle.value}
      aria-valuemin={0}
      aria-valuemax={handle.most}
      aria-valuetext={handle.text}
      aria-orientation={handle.shape === "edge" ? "horizontal" : "vertical"}
      data-handle={handle.id}
      onPointerDown={take}
      onPointerMove={drag}
      onPointerUp={release}
      onPointerCancel={release}
      onKeyDown={press}
    >
      {handle.shape === "edge" ? (
        <EdgeShape handle={handle} chart={chart} />
      ) : (
        <SquareShape handle={handle} active={active} chart={chart} />
      )}
    </g>
  );
}

function SquareShape(props: { handle: Handle; active: boolean; chart: Chart }) {
  const { handle, active, chart } = props;
  const { x, y, from, text } = handle;
  const held = useDragging((state) => state.held) && active;
  const inside = x + 70 < chart.right;
  const size = active ? 9 : 7;
  return (
    <>
      {from && (
        <path className={`unfinished ${handle.trace}`} d={`M${from[0]} ${from[1]}L${x} ${y}`} />
      )}
      <rect className="reach" x={x - 12} y={y - 12} width={24} height={24} />
      <rect
        className={`square ${handle.trace} ${active ? "selected" : ""}`}
        x={x - size / 2}
        y={y - size / 2}
        width={size}
        height={size}
      />
      {held && (
        <text
          className="label strong held-value"
          x={inside ? x + 14 : x - 14}
          y={y - 12}
          textAnchor={inside ? "start" : "end"}
        >
          {text}
        </text>
      )}
    </>
  );
}

/** An edge is taken in the lane's height and at the foot, where it hides no square. */
function EdgeShape({ handle, chart }: { handle: Handle; chart: Chart }) {
  const { x } = handle;
  return (
    <>
      <rect
        className="reach"
        x={x - 5}
        y={chart.upper.top}
        width={10}
        height={chart.lower.bottom - chart.upper.top}
      />
      <path className="grip" d={`M${x} ${chart.lower.bottom - 18}V${chart.lower.bottom}`} />
      <path className="grip" d={`M${x} ${chart.upper.top}V${chart.upper.top + 10}`} />
    </>
  );
}
