import type { StartWater } from "../api/client";
import { useChangeBench } from "../api/useChangeBench";
import { Button } from "../ui/Button";
import { signed } from "../ui/format";
import { temperature } from "../ui/units";

/** Other water than is set, why, what it should change, and the way to set it. */
export function SetWater({ water }: { water: StartWater }) {
  const change = useChangeBench();
  const { extraction_yield_change_points: points, shot_time_change_s: seconds } = water;
  const effects = [
    points !== null && `extraction ${signed(points, 1)} points`,
    seconds !== null && `shot time ${signed(seconds, 1)} s`,
  ].filter((one) => one !== false);
  return (
    <p data-part="start-water">
      {water.because === "version" ? "This is meant for" : `A ${water.roast} roast is begun near`}{" "}
      <b>{temperature(water.water_c)}</b>
      {effects.length > 0 && `, predicted ${effects.join(", ")}`}.{" "}
      <Button
        className="min-h-6! py-0! text-action"
        disabled={change.isPending}
        onClick={() => change.mutate({ water_c: water.water_c })}
      >
        Set {temperature(water.water_c)}
      </Button>
    </p>
  );
}
