import { useQuery } from "@tanstack/react-query";
import type { Bench } from "../../api/client";
import { firstGrindQuery, startWaterQuery } from "../../api/queries";
import { useChangeBench } from "../../api/useChangeBench";
import { useSetup } from "../../api/useSetup";
import type { LooseProfile } from "../../profile/loose";
import { SetWater } from "../../profile/SetWater";
import { useResting } from "../../profile/useForecast";
import { Button } from "../../ui/Button";
import { plain } from "../../ui/format";

/** The water a version is meant for; where a coffee was never pulled, the grind and water to begin with. */
export function BeginWith({ bench, profile }: { bench: Bench; profile: LooseProfile }) {
  const rested = useResting(profile);
  if (bench.puck !== null) return null;
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
  const asks = bench.coffee !== null && bench.grinder !== null;
  const { data } = useQuery({ ...firstGrindQuery(setup, profile), enabled: asks });
  if (!asks || !data) return null;
  return (
    <p className="mt-1 rounded-sm border border-rule bg-sheet px-2 py-1.5" data-part="first-grind">
      {data.pulled ? "Another basket than last time: begin" : "Never pulled here. Begin"} at grind{" "}
      <b>{plain(data.setting)}</b>
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

/** Water by the version or the roast. */
function StartWater({ profile }: { profile: Rested }) {
  const { data } = useQuery(startWaterQuery(useSetup(), profile));
  if (!data) return null;
  return (
    <div className="mt-1 rounded-sm border border-rule bg-sheet px-2 py-1.5">
      <SetWater water={data} />
    </div>
  );
}
