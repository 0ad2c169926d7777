import type { Water } from "../../api/client";
import { Picture } from "./Picture";
import { LARGE, PlotFrame } from "./PlotFrame";

const [MOST_ALKALINITY, MOST_HARDNESS] = [160, 300]; // drawn

/** A water by its alkalinity and hardness, with the bounds that suit taste and boiler. */
export function WaterPicture({ water }: { water: Water }) {
  const { facts } = water;
  const { hardness_mg_l: hardness, alkalinity_mg_l: alkalinity, within } = facts;
  const known = hardness != null && alkalinity != null;
  return (
    <Picture
      name="Minerals"
      words={
        <>
          {hardness != null && (
            <p>
              Hardness {hardness.toFixed(0)} mg/L as CaCO₃: {facts.hardness_german} °dH,{" "}
              {facts.hardness_french} °fH.
            </p>
          )}
          {alkalinity != null && <p>Alkalinity {alkalinity.toFixed(0)} mg/L as CaCO₃.</p>}
          {facts.cautions.map((one) => (
            <p key={one} className="text-warn">
              {one}.
            </p>
          ))}
          {known && facts.cautions.length === 0 && (
            <p className="text-quiet">Within the bounds for taste and boiler.</p>
          )}
          {!known && (
            <p className="text-quiet">
              Drop tests for total and carbonate hardness tell both in two minutes.
            </p>
          )}
        </>
      }
    >
      <PlotFrame
        label={`Alkalinity ${alkalinity ?? "unknown"} and hardness ${hardness ?? "unknown"} mg/L as CaCO₃`}
        xName="alkalinity, mg/L as CaCO₃"
        yName="hardness, mg/L as CaCO₃"
        xs={[0, Math.max(MOST_ALKALINITY, alkalinity ?? 0)]}
        ys={[0, Math.max(MOST_HARDNESS, hardness ?? 0)]}
        height={LARGE}
      >
        {(plot) => (
          <>
            <rect
              className="window"
              x={plot.x(within.least_alkalinity)}
              width={plot.x(within.most_alkalinity) - plot.x(within.least_alkalinity)}
              y={plot.y(within.most_hardness)}
              height={plot.bottom - plot.y(within.most_hardness)}
            />
            <text x={plot.x(within.least_alkalinity) + 5} y={plot.y(within.most_hardness) + 14}>
              good for taste and boiler
            </text>
            {known && (
              <g
                className="point"
                transform={`translate(${plot.x(alkalinity)} ${plot.y(hardness)})`}
              >
                <rect x="-4.5" y="-4.5" width="9" height="9" />
                <text x="10" y="4">
                  {water.name}
                </text>
              </g>
            )}
            {hardness != null && alkalinity == null && (
              <g className="level">
                <path d={`M${plot.left} ${plot.y(hardness)}H${plot.right}`} />
              </g>
            )}
            {alkalinity != null && hardness == null && (
              <g className="level">
                <path d={`M${plot.x(alkalinity)} ${plot.top}V${plot.bottom}`} />
              </g>
            )}
          </>
        )}
      </PlotFrame>
    </Picture>
  );
}
