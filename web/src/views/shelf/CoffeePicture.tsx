import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import type { Coffee, CoffeeDays } from "../../api/client";
import { coffeeDaysQuery } from "../../api/queries";
import { amountNumber, grams } from "../../ui/units";
import { Picture, PictureToCome, useBenchKey } from "./Picture";
import { curvePath, LARGE, type Plot, PlotFrame } from "./PlotFrame";

const MOST_LIKING = 10;

/** A coffee over days of rest: when it is at its best, and each shot at its day by its liking. */
export function CoffeePicture({ coffee }: { coffee: Coffee }) {
  const { data: days, error } = useQuery(coffeeDaysQuery(coffee.id, coffee.etag, useBenchKey()));
  if (!days) return <PictureToCome name="Its days" error={error} height={LARGE} />;
  const { gas, shots } = days;
  const today = coffee.rest_days ?? null;
  const liked = shots.filter((one) => one.liking != null).length;
  return (
    <Picture
      name="Its days"
      words={
        <>
          <p>
            <b>
              {coffee.freshness
                ? `Today is ${coffee.freshness.words}.`
                : "When it was roasted is not known."}
            </b>{" "}
            {coffee.freshness?.state === "past" && "Expect it to run faster and give less crema."}
          </p>
          {coffee.blend && (
            <p className="text-quiet">
              A blend is taken to age half as fast, with wider ranges, until its own shots say
              otherwise.
            </p>
          )}
          <p className="text-quiet">
            By the model, at its best from day {gas.best_from.toFixed(0)} to{" "}
            {gas.best_to.toFixed(0)}: then gas hinders the water little, and enough is left for a
            crema.
          </p>
          {shots.length > 0 && (
            <p className="text-quiet">
              {shots.length} {shots.length === 1 ? "shot" : "shots"}, {liked} of them tasted: the
              higher the mark, the more it was liked; untasted shots lie on the baseline.
            </p>
          )}
          <BagBar coffee={coffee} days={days} />
        </>
      }
    >
      <PlotFrame
        label={`Gas left by days of rest; at its best from day ${gas.best_from.toFixed(0)} to ${gas.best_to.toFixed(0)}; ${shots.length} shots`}
        xName="days rested"
        yName="gas left, mL/g"
        xs={[0, Math.max(...gas.days, today ?? 0, ...shots.map((one) => one.rest_days))]}
        ys={[0, Math.max(...gas.gas_ml_g)]}
        height={LARGE}
        reachable
        {...(liked > 0 ? { right: { name: "liking", range: [0, MOST_LIKING] } } : {})}
      >
        {(plot) => (
          <>
            <Window plot={plot} gas={gas} today={today} />
            <path className="curve" d={curvePath(plot, gas.days, gas.gas_ml_g)} />
            {shots.map((one) => (
              <ShotMark key={one.shot_id} plot={plot} shot={one} />
            ))}
          </>
        )}
      </PlotFrame>
    </Picture>
  );
}

type Gas = CoffeeDays["gas"];

function Window({ plot, gas, today }: { plot: Plot; gas: Gas; today: number | null }) {
  const [from, to] = [plot.x(gas.best_from), plot.x(gas.best_to)];
  // Where the line of today does not cross its words.
  const early = today !== null && today < (gas.best_from + gas.best_to) / 2;
  return (
    <>
      <rect
        className="window"
        x={from}
        width={to - from}
        y={plot.top}
        height={plot.bottom - plot.top}
      />
      <text x={early ? to - 5 : from + 5} y={plot.top + 13} textAnchor={early ? "end" : "start"}>
        at its best
      </text>
      {today !== null && (
        <g className="level">
          <path d={`M${plot.x(today)} ${plot.top}V${plot.bottom}`} />
          <text x={plot.x(today) + 4} y={plot.bottom - 10}>
            today
          </text>
        </g>
      )}
    </>
  );
}

function ShotMark({ plot, shot }: { plot: Plot; shot: CoffeeDays["shots"][number] }) {
  const navigate = useNavigate();
  const { shot_id, rest_days, liking, crema_mm } = shot;
  const y = liking == null ? plot.bottom : plot.yRight(liking);
  const words = [
    `Shot ${shot_id}, day ${rest_days.toFixed(0)}`,
    liking == null ? "not tasted" : `liking ${liking.toFixed(1)}`,
    crema_mm != null && `${crema_mm.toFixed(0)} mm of crema`,
  ].filter(Boolean);
  const open = () => navigate(`/read/${shot_id}`);
  return (
    // biome-ignore lint/a11y/useSemanticElements: a link cannot lie in a drawing
    <g
      className="pulled"
      role="link"
      tabIndex={0}
      aria-label={words.join(", ")}
      transform={`translate(${plot.x(rest_days)} ${y})`}
      onClick={open}
      onKeyDown={(event) => {
        if (event.key === "Enter") open();
      }}
    >
      <title>{words.join(", ")}</title>
      <circle className="reached" r="10" />
      <circle className={liking == null ? "untasted" : "liked"} r="4.5" />
    </g>
  );
}

/** The bag in use: how much is left, in shots of the bench's dose, and what they cost. */
function BagBar({ coffee, days }: { coffee: Coffee; days: CoffeeDays }) {
  const bag = coffee.bags[0];
  const { cost, dialling_in_shots } = days;
  if (bag?.remaining_g == null || bag.bag_g == null) return null;
  const left = bag.remaining_g / bag.bag_g;
  return (
    <div className="grid gap-1">
      <div
        className="h-3 max-w-72 rounded-sm border border-edge"
        role="img"
        aria-label={`${amountNumber(bag.remaining_g, "g", 0)} of ${grams(bag.bag_g, 0)} left`}
      >
        <div className="h-full bg-action" style={{ width: `${Math.min(1, left) * 100}%` }} />
      </div>
      <p>
        {amountNumber(bag.remaining_g, "g", 0)} of {grams(bag.bag_g, 0)} left
        {cost?.shots_left != null &&
          `: ${cost.shots_left} ${cost.shots_left === 1 ? "shot" : "shots"} at the bench’s dose`}
        .
      </p>
      {cost?.a_shot != null && cost.dialling_in != null && (
        <p className="text-quiet">
          A shot costs {cost.a_shot.toFixed(2)} in coffee, dialling in {cost.dialling_in.toFixed(2)}{" "}
          ({dialling_in_shots} shots).
        </p>
      )}
    </div>
  );
}
