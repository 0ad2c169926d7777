import { memo } from "react";
import type { TrailNode } from "../../api/client";
import { useTimeFigure } from "../../profile/ClockChoice";
import { chanceWords, OUTCOMES } from "../../shots/outcomes";
import { SmallCurve } from "../../shots/SmallCurve";
import { moment } from "../../ui/format";
import { cn } from "../../ui/styles";
import { grams } from "../../ui/units";
import { findingName } from "./names";

const LANE = 16;
const DOT_Y = 25;

/** One shot: its place on the line, its curve and figures, and what was changed to come to it. */
export const TrailRow = memo(function TrailRow(props: {
  node: TrailNode;
  /** The shot in the row below, undefined in the last one. */
  below: number | undefined;
  lanes: number;
  /** Without lanes: among shots that are left out they would mean nothing. */
  plain: boolean;
  best: boolean;
  baseline: boolean;
  current: boolean;
  choose: () => void;
}) {
  const { node, below, lanes, plain, best, baseline, current, choose } = props;
  const { shot, liking } = node;
  const seconds = shot[useTimeFigure()];
  return (
    <li
      id={`shot-${shot.id}`}
      className="[contain-intrinsic-size:auto_74px] [content-visibility:auto]"
    >
      <button
        type="button"
        aria-current={current || undefined}
        data-lane={plain ? 0 : node.lane}
        className={cn(
          "relative grid w-full grid-cols-[var(--lanes)_88px_minmax(150px,1fr)_56px_56px_60px_96px] items-start gap-x-2.5 border-l-3 border-l-transparent py-2 pr-3 text-left max-narrow:grid-cols-[var(--lanes)_88px_minmax(0,1fr)]",
          current && "border-l-action bg-tint",
          shot.set_aside !== null && "opacity-60",
        )}
        style={{ "--lanes": `${LANE * lanes + 12}px` } as React.CSSProperties}
        onClick={choose}
      >
        <Lanes node={node} lanes={lanes} plain={plain} last={below === undefined} />
        <SmallCurve
          traces={{ ...EMPTY, ...node.curve }}
          stop_s={shot.shot_time_s}
          width={84}
          height={40}
        />
        <span className="min-w-0">
          <span className="block truncate">
            <b>{shot.profile_name}</b> <span className="font-mono text-quiet">v{shot.number}</span>{" "}
            <span className="text-quiet">
              shot {shot.id}, {moment(shot.started_at)}
            </span>
          </span>
          <Tags node={node} best={best} baseline={baseline} />
          <Change node={node} below={below} />
        </span>
        <Figure name="time" value={seconds === null ? shot.state : `${seconds.toFixed(1)} s`} />
        <Figure name="drink" value={shot.yield_g === null ? "no drink" : grams(shot.yield_g, 1)} />
        <Figure
          name="EY"
          value={
            shot.extraction_yield_pct === null ? "" : `EY ${shot.extraction_yield_pct.toFixed(1)}`
          }
        />
        <span
          className="tabular-nums max-narrow:col-start-3"
          title="Liking of this pull; ± holds the recipe’s in nine of ten cases"
        >
          <span className="narrow:hidden">
            {seconds === null ? shot.state : `${seconds.toFixed(1)} s`}
            {shot.yield_g !== null && `, ${grams(shot.yield_g, 1)}, `}
          </span>
          {liking ? (
            <>
              liked <b>{plainPoints(liking.points)}</b>{" "}
              {liking.error !== null && (
                <span className="text-quiet">± {liking.error.toFixed(1)}</span>
              )}
            </>
          ) : (
            <span className="text-quiet">not tasted</span>
          )}
        </span>
      </button>
    </li>
  );
});

const EMPTY = { water_in_ml_s: [], cup_g: [], group_c: [], commanded: [], phase: [], by_hand: [] };
const plainPoints = (points: number) => Number(points.toFixed(1));

function Figure({ name, value }: { name: string; value: string }) {
  return (
    <span className="tabular-nums max-narrow:hidden" title={name}>
      {value}
    </span>
  );
}

function Tags({ node, best, baseline }: { node: TrailNode; best: boolean; baseline: boolean }) {
  const { shot } = node;
  const tags = [
    best && "best so far",
    baseline && "baseline",
    node.new_bag && "new bag",
    shot.set_aside !== null && `set aside: ${shot.set_aside}`,
    shot.state === "incomplete" && "incomplete",
    shot.origin !== "pulled" && "brought in",
  ].filter((one): one is string => one !== false);
  const words = [...new Set(shot.tastings.flatMap((one) => one.words))];
  const findings = node.findings ?? [];
  if (tags.length + words.length + findings.length === 0) return null;
  return (
    <span className="flex flex-wrap gap-x-2 text-small">
      {tags.map((one) => (
        <b key={one} className="text-action">
          {one}
        </b>
      ))}
      {findings.map((one) => (
        <span key={one} className="text-warn">
          {findingName(one)}
        </span>
      ))}
      {words.map((one) => (
        <span key={one} className="text-quiet">
          {one}
        </span>
      ))}
    </span>
  );
}

/** What was changed as run, and what came of what was expected of it. */
function Change({ node, below }: { node: TrailNode; below: number | undefined }) {
  const { came_from, changed, move, settled } = node;
  if (came_from === null) return <span className="block text-quiet">the first shot</span>;
  const from = came_from === below ? "" : `, from shot ${came_from}`;
  return (
    <span className="block text-quiet" data-part="changed">
      {changed.length === 0 ? (
        `the same again${from}`
      ) : (
        <>
          {move && <span className="text-ink">{move}: </span>}
          {changed.join("; ")}
          {from}
        </>
      )}
      {settled && (
        <span
          className={cn(
            "block",
            settled.outcome === "against it" && "text-warn",
            settled.outcome === "as expected" && "text-action",
          )}
          data-outcome={settled.outcome}
        >
          Taken from Next: {OUTCOMES[settled.outcome]}
          {settled.steps !== null && settled.line !== null && (
            <>
              , {settled.line} {settled.steps > 0 ? "+" : "−"}
              {Math.abs(settled.steps).toFixed(1)} noticeable steps
              {chanceWords(settled)}
            </>
          )}
        </span>
      )}
    </span>
  );
}

/** The line through this row: its own lane, those beside it, and what ends here from above. */
function Lanes(props: { node: TrailNode; lanes: number; plain: boolean; last: boolean }) {
  const { node, lanes, plain, last } = props;
  const x = (lane: number) => 10 + LANE * Math.min(lane, lanes - 1);
  const lane = plain ? 0 : node.lane;
  const width = LANE * lanes + 12;
  const away = lane !== 0;
  return (
    <span className="relative self-stretch max-narrow:row-span-2" aria-hidden="true">
      {!plain &&
        node.passing.map((one) => (
          <span
            key={one}
            className={cn("absolute -top-2 -bottom-2 w-px", one === 0 ? "bg-ink" : "bg-edge")}
            style={{ left: x(one) }}
          />
        ))}
      {!plain && !node.begins && (
        <span
          className={cn("absolute -top-2 w-px", away ? "bg-edge" : "bg-ink")}
          style={{ left: x(lane), height: DOT_Y }}
        />
      )}
      {!last && (
        <span
          className={cn("absolute -bottom-2 w-px", away ? "bg-edge" : "bg-ink")}
          style={{ left: x(lane), top: DOT_Y - 8 }}
        />
      )}
      <svg
        width={width}
        height="50"
        aria-hidden="true"
        className="absolute -top-2 left-0 overflow-visible"
      >
        {!plain &&
          node.joining.map((one) => (
            <path
              key={one}
              d={`M${x(one) + 0.5} 0C${x(one) + 0.5} ${DOT_Y - 6} ${x(lane) + 0.5} ${DOT_Y - 10} ${x(lane) + 0.5} ${DOT_Y}`}
              fill="none"
              stroke="var(--edge)"
            />
          ))}
        <circle
          cx={x(lane) + 0.5}
          cy={DOT_Y}
          r={away ? 3.5 : 5}
          fill={away ? "var(--paper)" : "var(--ink)"}
          stroke={away ? "var(--edge)" : "var(--ink)"}
          strokeWidth="1.5"
        />
      </svg>
    </span>
  );
}
