import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import type { Basket, Coffee, Grinder, Machine } from "../../api/client";
import { bedQuery, benchQuery, gasQuery, grinderCurveQuery, reachQuery } from "../../api/queries";
import { ErrorNote } from "../../ui/Messages";
import { Panel } from "../../ui/Panel";
import { curvePath, type Plot, PlotFrame, PlotPlace } from "./PlotFrame";

/** A picture with what it says beside it. */
function Picture({
  name,
  children,
  words,
}: {
  name: string;
  children: ReactNode;
  words: ReactNode;
}) {
  return (
    <div className="mb-3">
      <Panel name={name}>
        <div className="grid grid-cols-[minmax(0,460px)_minmax(0,1fr)] items-start gap-5 max-narrow:grid-cols-1">
          {children}
          <div className="grid max-w-prose gap-1.5 [&>p]:first-letter:uppercase">{words}</div>
        </div>
      </Panel>
    </div>
  );
}

/**
 * While its data are on their way it takes its room, so that what stands below stays in place; when
 * they cannot be had, it says why.
 */
function PictureToCome(props: { name: string; error: Error | null; height?: number }) {
  const { name, error, height } = props;
  return (
    <Picture
      name={name}
      words={
        error ? (
          <ErrorNote error={error} />
        ) : (
          <p role="status" className="text-quiet">
            Reading it
          </p>
        )
      }
    >
      <PlotPlace height={height} />
    </Picture>
  );
}

function useBenchKey() {
  const bench = useQuery(benchQuery()).data;
  return JSON.stringify([bench?.coffee?.id, bench?.grind_setting, bench?.dose_g, bench?.water_c]);
}

const AT_BREWING: [number, number] = [0, 15];
const BENCH = "as on the bench";

/** What the machine can give, in pressure over flow, and how the bench's puck lies in it. */
export function ReachPicture({ machine }: { machine: Machine }) {
  const { data: reach, error } = useQuery(
    reachQuery(machine.id, `${useBenchKey()} ${machine.etag}`),
  );
  if (!reach) return <PictureToCome name="Its reach" error={error} />;
  const { pump, pucks, relief_bar, floor_bar } = reach;
  const top = Math.max(...pump.flow_ml_s);
  return (
    <Picture
      name="Its reach"
      words={
        <>
          <p>
            Everything under the curve and the relief valve can be given. A puck's line is where it
            lets water through late in the cup; the thick one is ground as on the bench.
          </p>
          <p className="text-quiet">
            {pump.words}: {top.toFixed(1)} mL/s freely. The relief valve opens at {relief_bar} bar
            {floor_bar > 0 && `; the feed always gives ${floor_bar} bar`}.
          </p>
        </>
      }
    >
      <PlotFrame
        label={`Pressure over flow: ${pump.words} and pucks of ${pucks.map((one) => one.words).join(", ")}`}
        xName="flow, mL/s"
        yName="pressure, bar"
        xs={[0, top]}
        ys={AT_BREWING}
      >
        {(plot) => (
          <>
            <path className="reach" d={reachPath(plot, pump, relief_bar)} />
            <path
              className="curve"
              d={curvePath(plot, ...clipped(pump.flow_ml_s, pump.pressure_bar))}
            />
            <Level plot={plot} at={relief_bar} words={`relief ${relief_bar}`} />
            {floor_bar > 0 && <Level plot={plot} at={floor_bar} words={`feed ${floor_bar}`} />}
            {pucks.map((one, i) => (
              <g key={one.words} className={one.words === BENCH ? "puck bench" : "puck"}>
                <path d={curvePath(plot, one.flow_ml_s, one.pressure_bar)} />
                {one.words !== BENCH && (
                  <text
                    x={plot.x(one.flow_ml_s.at(-1) ?? 0) + (i === 0 ? -6 : 6)}
                    y={plot.y(one.pressure_bar.at(-1) ?? 0) + 12}
                    textAnchor={i === 0 ? "end" : "start"}
                  >
                    {one.words}
                  </text>
                )}
              </g>
            ))}
          </>
        )}
      </PlotFrame>
    </Picture>
  );
}

type Curve = [number[], number[]];

/** The part of a curve that fits the plot. */
function clipped(flow: number[], bar: number[]): Curve {
  const inside = flow.map((_, i) => i).filter((i) => (bar[i] ?? 0) <= AT_BREWING[1]);
  return [inside.map((i) => flow[i] ?? 0), inside.map((i) => bar[i] ?? 0)];
}

function reachPath(
  plot: Plot,
  pump: { flow_ml_s: number[]; pressure_bar: number[] },
  relief: number,
) {
  const top = pump.pressure_bar.map((bar) => Math.min(bar, relief));
  return `${curvePath(plot, pump.flow_ml_s, top)}L${plot.left} ${plot.bottom}Z`;
}

function Level({ plot, at, words }: { plot: Plot; at: number; words: string }) {
  return (
    <g className="level">
      <path d={`M${plot.left} ${plot.y(at)}H${plot.right}`} />
      <text x={plot.right - 2} y={plot.y(at) - 4} textAnchor="end">
        {words} bar
      </text>
    </g>
  );
}

/** The grinder's curve, and the settings shots were pulled with. */
export function GrinderPicture({ grinder }: { grinder: Grinder }) {
  const { data: curve, error } = useQuery(grinderCurveQuery(grinder.id, grinder.etag));
  if (!curve) return <PictureToCome name="Its curve" error={error} />;
  const most = Math.max(1, ...curve.used.map((one) => one.shots));
  return (
    <Picture
      name="Its curve"
      words={
        curve.used.length === 0 ? (
          <p className="text-quiet">No shot was pulled with it yet.</p>
        ) : (
          <p>
            Pulled with {curve.used.map((one) => `${one.setting} (${one.shots})`).join(", ")}. The
            bars show how often.
          </p>
        )
      }
    >
      <PlotFrame
        label="Nominal size by setting, with the settings used"
        xName="setting"
        yName="nominal size, µm"
        xs={[curve.curve_settings[0] ?? 0, curve.curve_settings.at(-1) ?? 1]}
        ys={[Math.min(...curve.curve_um), Math.max(...curve.curve_um)]}
      >
        {(plot) => (
          <>
            {curve.used.map((one) => (
              <rect
                key={one.setting}
                className="used"
                x={plot.x(one.setting) - 3}
                width={6}
                y={plot.bottom - (40 * one.shots) / most}
                height={(40 * one.shots) / most}
              />
            ))}
            <path className="curve" d={curvePath(plot, curve.curve_settings, curve.curve_um)} />
            {curve.settings.map((setting, i) => (
              <g
                key={setting}
                className="point"
                transform={`translate(${plot.x(setting)} ${plot.y(curve.grind_um[i] ?? 0)})`}
              >
                <rect x="-3.5" y="-3.5" width="7" height="7" />
              </g>
            ))}
          </>
        )}
      </PlotFrame>
    </Picture>
  );
}

/** The coffee's gas over days, when it is at its best, and where it is today. */
export function GasPicture({ coffee }: { coffee: Coffee }) {
  const { data: gas, error } = useQuery(gasQuery(coffee.id, coffee.etag));
  if (!gas) return <PictureToCome name="Its gas over days" error={error} />;
  const today = coffee.rest_days;
  // Where the line of today does not cross its words.
  const early = today != null && today < (gas.best_from + gas.best_to) / 2;
  const words =
    today == null
      ? "When it was roasted is not known."
      : today < gas.best_from
        ? `Today is day ${today}: ${Math.ceil(gas.best_from - today)} days before its best.`
        : today > gas.best_to
          ? `Today is day ${today}: past its best; expect it to run faster and give less crema.`
          : `Today is day ${today}: at its best.`;
  return (
    <Picture
      name="Its gas over days"
      words={
        <>
          <p>
            <b>{words}</b>
          </p>
          <p className="text-quiet">
            By the model, at its best from day {gas.best_from.toFixed(0)} to{" "}
            {gas.best_to.toFixed(0)}: then gas hinders the water little, and enough is left for a
            crema.
          </p>
        </>
      }
    >
      <PlotFrame
        label={`Gas left by days of rest; at its best from day ${gas.best_from.toFixed(0)} to ${gas.best_to.toFixed(0)}`}
        xName="days rested"
        yName="gas left, mL/g"
        xs={[0, gas.days.at(-1) ?? 60]}
        ys={[0, Math.max(...gas.gas_ml_g)]}
      >
        {(plot) => (
          <>
            <rect
              className="window"
              x={plot.x(gas.best_from)}
              width={plot.x(gas.best_to) - plot.x(gas.best_from)}
              y={plot.top}
              height={plot.bottom - plot.top}
            />
            <text
              x={early ? plot.x(gas.best_to) - 5 : plot.x(gas.best_from) + 5}
              y={plot.top + 13}
              textAnchor={early ? "end" : "start"}
            >
              at its best
            </text>
            <path className="curve" d={curvePath(plot, gas.days, gas.gas_ml_g)} />
            {today != null && (
              <g className="level">
                <path d={`M${plot.x(today)} ${plot.top}V${plot.bottom}`} />
                <text x={plot.x(today) + 4} y={plot.bottom - 6}>
                  today
                </text>
              </g>
            )}
          </>
        )}
      </PlotFrame>
    </Picture>
  );
}

const [BED_WIDTH, BED_HEIGHT] = [420, 190];

/** The basket to scale, with the bench's dose in it and the room above. */
export function BedPicture({ basket }: { basket: Basket }) {
  const { data: bed, error } = useQuery(bedQuery(basket.id, basket.etag, useBenchKey()));
  const bench = useQuery(benchQuery()).data;
  if (!bed) return <PictureToCome name="To scale" height={BED_HEIGHT} error={error} />;
  const scale = Math.min(300 / bed.diameter_mm, 130 / bed.depth_mm);
  const [middle, top] = [BED_WIDTH / 2 - 30, 34];
  const half = (at: number) =>
    (scale * (bed.diameter_mm + ((bed.bottom_mm - bed.diameter_mm) * at) / bed.depth_mm)) / 2;
  const y = (mm: number) => top + mm * scale;
  const trapezoid = (from: number, to: number) =>
    `M${middle - half(from)} ${y(from)}H${middle + half(from)}L${middle + half(to)} ${y(to)}H${middle - half(to)}Z`;
  return (
    <Picture
      name="To scale"
      words={
        <>
          <p>
            {bench?.dose_g.toFixed(1)} g fill {bed.bed_mm.toFixed(0)} of {bed.depth_mm.toFixed(0)}{" "}
            mm and leave <b>{bed.head_ml.toFixed(1)} mL</b> above the bed, {bed.head_mm.toFixed(0)}{" "}
            mm.
          </p>
          {!bed.measured && (
            <p className="text-quiet">
              Its volume was not measured: fill it with water to the brim and weigh that.
            </p>
          )}
          {bench && (bench.dose_g < basket.least_g || bench.dose_g > basket.most_g) && (
            <p className="text-warn">
              It is made for {basket.least_g} to {basket.most_g} g.
            </p>
          )}
        </>
      }
    >
      <svg
        className="fit-plot"
        viewBox={`0 0 ${BED_WIDTH} ${BED_HEIGHT}`}
        role="img"
        aria-label={`Basket of ${bed.diameter_mm} mm with a bed of ${bed.bed_mm} mm and ${bed.head_mm} mm above it`}
      >
        <path className="bed" d={trapezoid(bed.depth_mm - bed.bed_mm, bed.depth_mm)} />
        <path className="wall" d={trapezoid(0, bed.depth_mm)} />
        <text x={middle} y={20} textAnchor="middle">
          {bed.diameter_mm} mm
        </text>
        <text x={middle} y={y(bed.head_mm / 2) + 4} textAnchor="middle">
          {bed.head_mm > 1.5 ? `head ${bed.head_mm.toFixed(0)} mm` : ""}
        </text>
        <text x={middle} y={y(bed.depth_mm - bed.bed_mm / 2) + 4} textAnchor="middle">
          bed {bed.bed_mm.toFixed(0)} mm
        </text>
        <text x={middle + half(0) + 10} y={y(bed.depth_mm / 2) + 4}>
          {bed.depth_mm.toFixed(0)} mm
        </text>
      </svg>
    </Picture>
  );
}
