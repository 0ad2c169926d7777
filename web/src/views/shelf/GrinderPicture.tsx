import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Grinder, GrinderCurve } from "../../api/client";
import { grinderCurveQuery } from "../../api/queries";
import { usePoints } from "../../bench/GrinderPoints";
import { Picture, PictureToCome } from "./Picture";
import { curvePath, LARGE, type Plot, PlotFrame } from "./PlotFrame";

const NUDGE_UM = 5;

/**
 * The grinder's curve with the settings shots were pulled with, over the points of the form it stands
 * in: each is dragged up and down, or moved by the arrow keys.
 */
export function GrinderPicture({ grinder }: { grinder: Grinder }) {
  const { data: curve, error } = useQuery(grinderCurveQuery(grinder.id, grinder.etag));
  const { points, write } = usePoints();
  if (!curve) return <PictureToCome name="Its curve" error={error} height={LARGE} />;
  const typed = points.filter((one): one is [number, number] =>
    one.every((value) => typeof value === "number"),
  );
  const changed = JSON.stringify(typed) !== JSON.stringify(stored(curve));
  const most = Math.max(1, ...curve.used.map((one) => one.shots));
  const move = (setting: number, size: number) =>
    write(points.map((one) => (one[0] === setting ? [setting, size] : one)));
  return (
    <Picture
      name="Its curve"
      words={
        <>
          <p>
            {curve.used.length === 0
              ? "No shot was pulled with it yet."
              : `Pulled with ${curve.used.map(usedWords).join(", ")}. The bars show how often.`}
          </p>
          <p className="text-quiet">
            {changed
              ? "The dashed line joins the points as they are now; nothing is saved yet."
              : "Drag a point up or down where you know its size better."}
          </p>
        </>
      }
    >
      <PlotFrame
        label="Nominal size by setting, with the settings used"
        xName="setting"
        yName="nominal size, µm"
        xs={[curve.curve_settings[0] ?? 0, curve.curve_settings.at(-1) ?? 1]}
        ys={[Math.min(...curve.curve_um), Math.max(...curve.curve_um)]}
        height={LARGE}
        reachable
      >
        {(plot) => (
          <>
            {curve.used.map((one) => (
              <rect
                key={one.setting}
                className="used"
                x={plot.x(one.setting) - 3}
                width={6}
                y={plot.bottom - (60 * one.shots) / most}
                height={(60 * one.shots) / most}
              >
                <title>{usedWords(one)}</title>
              </rect>
            ))}
            <path className="curve" d={curvePath(plot, curve.curve_settings, curve.curve_um)} />
            {changed && (
              <path
                className="typed"
                d={curvePath(
                  plot,
                  typed.map(([setting]) => setting),
                  typed.map(([, size]) => size),
                )}
              />
            )}
            {typed.map(([setting, size]) => (
              <DragPoint key={setting} plot={plot} setting={setting} size={size} move={move} />
            ))}
          </>
        )}
      </PlotFrame>
    </Picture>
  );
}

function stored(curve: GrinderCurve) {
  return curve.settings.map((setting, i) => [setting, curve.grind_um[i]]);
}

function usedWords({ setting, shots, liking }: GrinderCurve["used"][number]) {
  return `${setting} (${shots}${liking == null ? "" : `, liking ${liking.toFixed(1)}`})`;
}

/** A point that a hand, a finger or the arrow keys move in size; its setting stays. */
function DragPoint(props: {
  plot: Plot;
  setting: number;
  size: number;
  move: (setting: number, size: number) => void;
}) {
  const { plot, setting, size, move } = props;
  const [held, setHeld] = useState(false);
  const keys: Record<string, number> = {
    ArrowUp: NUDGE_UM,
    ArrowRight: NUDGE_UM,
    ArrowDown: -NUDGE_UM,
    ArrowLeft: -NUDGE_UM,
  };
  const follow = (event: React.PointerEvent<SVGGElement>) => {
    const frame = event.currentTarget.ownerSVGElement?.getBoundingClientRect();
    if (!held || !frame) return;
    const um = plot.y.invert(event.clientY - frame.top);
    const [low, high] = [0, 1].map((end) => plot.y.domain()[end] ?? 0) as [number, number];
    move(setting, Math.round(Math.min(high, Math.max(low, um))));
  };
  return (
    <g
      className="point drag"
      role="slider"
      tabIndex={0}
      aria-label={`Size at ${setting}, µm`}
      aria-valuenow={size}
      aria-valuemin={plot.y.domain()[0]}
      aria-valuemax={plot.y.domain()[1]}
      aria-orientation="vertical"
      transform={`translate(${plot.x(setting)} ${plot.y(size)})`}
      onKeyDown={(event) => {
        const by = keys[event.key];
        if (by === undefined) return;
        event.preventDefault();
        move(setting, size + by);
      }}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        setHeld(true);
      }}
      onPointerMove={follow}
      onPointerUp={() => setHeld(false)}
      onPointerCancel={() => setHeld(false)}
    >
      <circle className="reached" r="14" />
      <rect x="-4.5" y="-4.5" width="9" height="9" />
      {held && (
        <text x="12" y="4">
          {size} µm
        </text>
      )}
    </g>
  );
}
