import { TriangleAlert } from "lucide-react";
import { memo, useEffect, useRef } from "react";
import { type Axis, chartOf, type Extent } from "../../charts/frame";
import type { LoosePhase, LooseProfile } from "../../profile/loose";
import { type ForecastNow, phaseOf } from "../../profile/useForecast";
import { commandParts, commandWords, exitsWords, stopWords } from "../../profile/words";
import { Arrow } from "../../ui/Arrow";
import { cn } from "../../ui/styles";
import { Hatch } from "./Hatch";
import { blocksOf } from "./railLayout";

// A block as long as its phase is predicted to last; the chosen one opens its editor below.
const BLOCK =
  "absolute top-0 h-23 overflow-hidden border border-rule border-b-0 rounded-[3px_3px_0_0] bg-sheet text-left text-small leading-4.25 align-top flex flex-col aria-pressed:border-2 aria-pressed:border-action aria-pressed:border-b-0 aria-pressed:bg-tint aria-pressed:z-2 focus-visible:outline-offset-[-3px]";

const LEADERS = 12;

interface Props {
  width: number;
  extent: Extent;
  axis: Axis;
  profile: LooseProfile;
  now: ForecastNow;
  selected: number;
  select: (index: number) => void;
}

/** The phases as blocks under the curve, as long as they are predicted to last, then the stop. */
export const PhaseRail = memo(function PhaseRail({
  width,
  extent,
  axis,
  profile,
  now,
  selected,
  select,
}: Props) {
  const rail = useRef<HTMLFieldSetElement>(null);
  useEffect(() => {
    const strip = rail.current;
    const block = strip?.querySelectorAll("button")[selected];
    if (width === 0 || !strip || !(block instanceof HTMLElement)) return;
    // Sideways only: the page itself must not jump.
    const over = block.offsetLeft + block.offsetWidth - strip.clientWidth;
    if (strip.scrollLeft < over) strip.scrollLeft = over;
    if (strip.scrollLeft > block.offsetLeft) strip.scrollLeft = block.offsetLeft;
  }, [selected, width]);
  if (width === 0) return null;
  const { seconds } = extent;
  const { x, left, right } = chartOf(width, 500, extent, axis);
  const runs = profile.phases.map((_, i) => now.answered?.forecast.prediction.phases[i]);
  const stop = now.answered?.forecast.prediction.shot_time_s.value ?? seconds;
  const starts = [...runs.map((run) => run?.start_s ?? null), stop];
  const forecast = now.answered?.forecast.prediction;
  const preamble = forecast?.preamble;
  const lengths = [
    ...runs.map((run) => (run?.start_s == null || run.end_s == null ? 0 : run.end_s - run.start_s)),
    Math.max(0, seconds - stop),
  ];
  const every = preamble ? [forecast.preamble_s, ...lengths] : lengths;
  const laid = blocksOf(every, right - left);
  const [before, blocks] = preamble ? [laid[0], laid.slice(1)] : [undefined, laid];
  const faults = new Set(now.problems.map(phaseOf));
  const scrolls = (blocks.at(-1)?.left ?? 0) + (blocks.at(-1)?.width ?? 0) > right - left + 1;
  return (
    <div>
      {!scrolls && (
        <Leaders
          width={width}
          from={starts.map((t) => (t === null ? null : x(t)))}
          to={blocks.map((b) => left + b.left)}
        />
      )}
      <fieldset
        ref={rail}
        aria-label="Phases"
        className="relative h-23 overflow-x-auto overflow-y-hidden"
        style={{ marginLeft: left, width: right - left, marginTop: scrolls ? LEADERS : 0 }}
      >
        {before && preamble && <PreambleBlock width={before.width} words={preamble} />}
        {profile.phases.map((phase, i) => (
          <PhaseBlock
            // biome-ignore lint/suspicious/noArrayIndexKey: a phase has no name but its place
            key={i}
            phase={phase}
            left={blocks[i]?.left ?? 0}
            width={blocks[i]?.width ?? 0}
            lasts={lengths[i] ?? 0}
            reached={starts[i] !== null}
            faulty={faults.has(i)}
            selected={i === selected}
            select={() => select(i)}
          />
        ))}
        <StopBlock
          stop={profile.stop}
          left={blocks.at(-1)?.left ?? 0}
          width={blocks.at(-1)?.width ?? 0}
          faulty={now.problems.some((one) => one.field.startsWith("profile.stop"))}
          selected={selected === profile.phases.length}
          select={() => select(profile.phases.length)}
        />
      </fieldset>
    </div>
  );
});

/** Thin lines from where a phase begins on the curve to where its block begins. */
function Leaders({ width, from, to }: { width: number; from: (number | null)[]; to: number[] }) {
  return (
    <svg width={width} height={LEADERS} className="chart block" aria-hidden="true">
      {from.map(
        (x, i) =>
          x !== null && (
            // biome-ignore lint/suspicious/noArrayIndexKey: a phase has no name but its place
            <path key={i} className="bound" d={`M${x} 0L${(to[i] ?? 0) + 0.5} ${LEADERS}`} />
          ),
      )}
    </svg>
  );
}

/** What the machine does by itself before the first phase: greyed, for nobody to change. */
function PreambleBlock({ width, words }: { width: number; words: string }) {
  return (
    <span
      className={cn(BLOCK, "border-dashed bg-ground text-quiet")}
      style={{ left: 0, width: width - 2 }}
      title={`Before any program the machine ${words}`}
    >
      <span className="px-1.5 pt-0.75">
        <strong className="block overflow-hidden text-ellipsis whitespace-nowrap">Machine</strong>
        <span className="sr-only">Before any program it </span>
        {words}
      </span>
    </span>
  );
}

function PhaseBlock(props: {
  phase: LoosePhase;
  left: number;
  width: number;
  lasts: number;
  reached: boolean;
  faulty: boolean;
  selected: boolean;
  select: () => void;
}) {
  const { phase, left, width, lasts, reached, faulty, selected, select } = props;
  const { lead, from, to, tail } = commandParts(phase);
  const exits = exitsWords(phase);
  const words = `${phase.name}: ${commandWords(phase)}, ${exits}${reached ? "" : ", not reached"}`;
  return (
    <button
      type="button"
      className={cn(BLOCK, !reached && "border-dashed", faulty && "border-stop")}
      style={{ left, width: width - 2 }}
      aria-pressed={selected}
      title={words}
      onClick={select}
    >
      <Hatch kind={phase.kind} width={width - 2} />
      <span className="flex justify-between gap-1.5 pt-0.75 px-1.5 whitespace-nowrap [&_strong]:overflow-hidden [&_strong]:text-ellipsis">
        <strong>{phase.name || "no name"}</strong>
        {faulty ? (
          <Refused />
        ) : (
          width > 150 && (
            <span className="text-quiet">{reached ? `${lasts.toFixed(1)} s` : "not reached"}</span>
          )
        )}
      </span>
      <span className="[display:-webkit-box] px-1.5 overflow-hidden [-webkit-box-orient:vertical] [-webkit-line-clamp:3]">
        {lead} {from !== null && <b>{from}</b>}{" "}
        {from !== null && to !== null && (
          <>
            <Arrow />
            <span className="sr-only">to </span>
          </>
        )}{" "}
        {to !== null && (
          <>
            {from === null && lead === "" && "to "}
            <b>{to}</b>
          </>
        )}{" "}
        {tail} <span className="text-quiet">{exits}</span>
      </span>
    </button>
  );
}

function Refused() {
  return (
    <>
      <TriangleAlert size={14} className="shrink-0 text-stop" aria-hidden="true" />
      <span className="sr-only">something in it is invalid</span>
    </>
  );
}

function StopBlock(props: {
  stop: LooseProfile["stop"];
  left: number;
  width: number;
  faulty: boolean;
  selected: boolean;
  select: () => void;
}) {
  const { stop, left, width, faulty, selected, select } = props;
  const { first, others } = stopWords(stop);
  return (
    <button
      type="button"
      className={cn(BLOCK, "border-dashed", faulty && "border-stop")}
      style={{ left, width: width - 2 }}
      aria-pressed={selected}
      onClick={select}
    >
      <Hatch kind="stop" width={width - 2} />
      <span className="flex justify-between gap-1.5 pt-0.75 px-1.5 whitespace-nowrap [&_strong]:overflow-hidden [&_strong]:text-ellipsis">
        <strong>Stop</strong>
        {faulty && <Refused />}
      </span>
      <span className="[display:-webkit-box] px-1.5 overflow-hidden [-webkit-box-orient:vertical] [-webkit-line-clamp:3]">
        <b>{first}</b> <span className="text-quiet">{others}</span>
      </span>
    </button>
  );
}
