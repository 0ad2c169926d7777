import { useQuery } from "@tanstack/react-query";
import type { Bench } from "../../api/client";
import { firstGrindQuery, startWaterQuery } from "../../api/queries";
import { useChangeBench } from "../../api/useChangeBench";
import { useSetup } from "../../api/useSetup";
import type { LooseProfile } from "../../profile/loose";
import { useResting } from "../../profile/useForecast";
import { Button } from "../../ui/Button";
import { plain, signed } from "../../ui/format";
import { useTemperature } from "../../ui/units";

/** Where a coffee was never pulled by this grinder: the grind and the water to begin with. */
export function BeginWith({ bench, profile }: { bench: Bench; profile: LooseProfile }) {
  const rested = useResting(profile);
  if (bench.coffee === null || bench.puck !== null || bench.dialled_in || bench.learnt_shots > 0)
    return null;
  return (
    <>
      <FirstGrind bench={bench} profile={rested} />
      <StartWater profile={rested} />
    </>
  );
}

type Rested = ReturnType<typeof useResting>;

function FirstGrind({ bench, profile }: { bench: Bench; profile: Rested }) {
  const change = useChangeBench();
  const setup = useSetup();
  const asks = bench.grinder !== null;
  const { data } = useQuery({ ...firstGrindQuery(setup, profile), enabled: asks });
  if (!asks || !data) return null;
  return (
    <p className="mt-1 rounded-sm border border-rule bg-sheet px-2 py-1.5" data-part="first-grind">
      Never pulled here. Begin at grind <b>{plain(data.setting)}</b>
      {data.low < data.high && ` (${plain(data.low)} to ${plain(data.high)})`}, for{" "}
      {data.time_s.toFixed(0)} s as {data.because}.{" "}
      {bench.grind_setting !== data.setting && (
        <Button
          className="min-h-6! py-0! text-action"
          disabled={change.isPending}
          onClick={() => change.mutate({ grind_setting: data.setting })}
        >
          Set {plain(data.setting)}
        </Button>
      )}
    </p>
  );
}

/** Water by the roast, with what it should change. */
function StartWater({ profile }: { profile: Rested }) {
  const change = useChangeBench();
  const { shown } = useTemperature();
  const { data } = useQuery(startWaterQuery(useSetup(), profile));
  if (!data) return null;
  const { extraction_yield_change_points: points, shot_time_change_s: seconds } = data;
  const effects = [
    points !== null && `extraction ${signed(points, 1)} points`,
    seconds !== null && `shot time ${signed(seconds, 1)} s`,
  ].filter((one) => one !== false);
  return (
    <p className="mt-1 rounded-sm border border-rule bg-sheet px-2 py-1.5" data-part="start-water">
      A {data.roast} roast is begun near <b>{shown(data.water_c)}</b>
      {effects.length > 0 && `, predicted ${effects.join(", ")}`}.{" "}
      <Button
        className="min-h-6! py-0! text-action"
        disabled={change.isPending}
        onClick={() => change.mutate({ water_c: data.water_c })}
      >
        Set {shown(data.water_c)}
      </Button>
    </p>
  );
}
