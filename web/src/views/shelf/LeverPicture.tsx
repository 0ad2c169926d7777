import { useQuery } from "@tanstack/react-query";
import type { DrawnPress, DrawnStroke, Machine } from "../../api/client";
import { strokeQuery } from "../../api/queries";
import { grams, millilitres } from "../../ui/units";
import { Picture, PictureToCome, useBenchKey } from "./Picture";
import { curvePath, LARGE, type Plot, PlotFrame } from "./PlotFrame";

/** A lever: its pressure over the stroke, or by the force of a hand, with the puck's flow. */
export function LeverPicture({ machine }: { machine: Machine }) {
  const { data, error } = useQuery(strokeQuery(machine.id, `${useBenchKey()} ${machine.etag}`));
  if (!data) return <PictureToCome name="Its stroke" error={error} height={LARGE} />;
  return "springs" in data ? <Stroke stroke={data} /> : <Press press={data} />;
}

function Stroke({ stroke }: { stroke: DrawnStroke }) {
  const { springs, together, stroke_ml, line_bar, drawn_s, cup_g } = stroke;
  const two = springs.length > 1;
  const drawn = together.pressure_bar[0] ?? 0;
  const last = together.pressure_bar.at(-1) ?? 0;
  return (
    <Picture
      name="Its stroke"
      words={
        <>
          <p>
            Let go, {together.words} {two ? "press" : "presses"} with {drawn.toFixed(1)} bar and{" "}
            {two ? "end" : "ends"} at {last.toFixed(1)}, {millilitres(stroke_ml)} later.
            {two && " The thin lines are each spring apart."}
          </p>
          <p>
            {cup_g == null
              ? "By the model nothing drips of the bench’s puck."
              : `By the model one stroke gives ${grams(cup_g, 0)} in the cup with what is on the bench.`}
          </p>
          <p className="text-quiet">
            Drawn, it lets the line’s {line_bar} bar on the puck. The dashed line is what flows into
            the puck on the bench, from {drawn_s.toFixed(0)} s of soak on.
          </p>
        </>
      }
    >
      <PlotFrame
        label={`Pressure over the stroke: ${together.words} from ${drawn.toFixed(1)} to ${last.toFixed(1)} bar, and the flow of the puck on the bench`}
        xName="pressed out, mL"
        yName="pressure, bar"
        xs={[0, stroke_ml]}
        ys={[0, drawn]}
        height={LARGE}
        right={{ name: "flow, mL/s", range: [0, Math.max(1, ...settled(stroke))] }}
      >
        {(plot) => (
          <>
            {two &&
              springs.map((one, i) => (
                <g key={one.words} className="puck">
                  <path d={curvePath(plot, one.pressed_ml, one.pressure_bar)} />
                  <text
                    x={plot.x(stroke_ml / 2)}
                    y={plot.y(middle(one.pressed_ml, one.pressure_bar, stroke_ml / 2)) - 6}
                    textAnchor="middle"
                  >
                    {one.words}
                    {i === 0 ? " alone" : ""}
                  </text>
                </g>
              ))}
            <g className="puck bench">
              <path d={curvePath(plot, together.pressed_ml, together.pressure_bar)} />
            </g>
            <Flow plot={plot} xs={stroke.pressed_ml} flow={stroke.water_in_ml_s} />
          </>
        )}
      </PlotFrame>
    </Picture>
  );
}

const ROOM = 1.6; // above the curve, for the end of the rush
const FILLED_SHARE = 0.3; // of the stroke: by then the head is full and the puck alone decides

/** The flow once the head is full: before, it rushes. */
function settled({ pressed_ml, water_in_ml_s, stroke_ml }: DrawnStroke) {
  return water_in_ml_s
    .filter((_, i) => (pressed_ml[i] ?? 0) > FILLED_SHARE * stroke_ml)
    .map((flow) => flow * ROOM);
}

function middle(xs: number[], ys: number[], at: number) {
  const after = Math.max(
    1,
    xs.findIndex((x) => x >= at),
  );
  const [x0 = 0, x1 = 1, y0 = 0, y1 = 0] = [xs[after - 1], xs[after], ys[after - 1], ys[after]];
  return y0 + ((y1 - y0) * (at - x0)) / (x1 - x0);
}

function Flow({ plot, xs, flow }: { plot: Plot; xs: number[]; flow: number[] }) {
  const top = plot.yRight.domain()[1] ?? 0;
  const inside = flow.map((_, i) => i).filter((i) => (flow[i] ?? 0) <= top);
  return (
    <path
      className="flow"
      d={curvePath(
        { x: plot.x, y: plot.yRight },
        inside.map((i) => xs[i] ?? 0),
        inside.map((i) => flow[i] ?? 0),
      )}
    />
  );
}

const USUAL_BAR = 9;

function Press({ press }: { press: DrawnPress }) {
  const { force_kg, pressure_bar, water_in_ml_s, stroke_ml } = press;
  const each = (pressure_bar.at(-1) ?? 0) / (force_kg.at(-1) ?? 1);
  return (
    <Picture
      name="Force and pressure"
      words={
        <>
          <p>
            Each kg at the handle is {each.toFixed(2)} bar at the puck: {USUAL_BAR} bar ask for{" "}
            {(USUAL_BAR / each).toFixed(0)} kg.
          </p>
          <p className="text-quiet">
            A stroke presses {millilitres(stroke_ml)} out. The dashed line is the flow of the puck
            on the bench late in the cup.
          </p>
        </>
      }
    >
      <PlotFrame
        label={`Pressure by force: ${each.toFixed(2)} bar for each kg, and the flow of the puck on the bench`}
        xName="force at the handle, kg"
        yName="pressure, bar"
        xs={[0, force_kg.at(-1) ?? 1]}
        ys={[0, pressure_bar.at(-1) ?? 1]}
        height={LARGE}
        right={{ name: "flow, mL/s", range: [0, Math.max(1, ...water_in_ml_s)] }}
      >
        {(plot) => (
          <>
            <g className="puck bench">
              <path d={curvePath(plot, force_kg, pressure_bar)} />
            </g>
            <Flow plot={plot} xs={force_kg} flow={water_in_ml_s} />
          </>
        )}
      </PlotFrame>
    </Picture>
  );
}
