import { useQuery } from "@tanstack/react-query";
import type { Basket, Machine } from "../../api/client";
import { bedQuery, benchQuery, reachQuery } from "../../api/queries";
import { amountNumber, grams, millilitres } from "../../ui/units";
import { Picture, PictureToCome, useBenchKey } from "./Picture";
import { curvePath, LARGE, type Plot, PlotFrame } from "./PlotFrame";

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
        height={LARGE}
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
            {bench && grams(bench.dose_g, 1)} fill {bed.bed_mm.toFixed(0)} of{" "}
            {bed.depth_mm.toFixed(0)} mm and leave <b>{millilitres(bed.head_ml, 1)}</b> above the
            bed, {bed.head_mm.toFixed(0)} mm.
          </p>
          {!bed.measured && (
            <p className="text-quiet">
              Its volume was not measured: fill it with water to the brim and weigh that.
            </p>
          )}
          {bench && (bench.dose_g < basket.least_g || bench.dose_g > basket.most_g) && (
            <p className="text-warn">
              It is made for {amountNumber(basket.least_g, "g")} to {grams(basket.most_g)}.
            </p>
          )}
        </>
      }
    >
      <svg
        className="fit-plot max-w-[460px]!"
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
