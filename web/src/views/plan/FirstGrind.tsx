import { useQuery } from "@tanstack/react-query";
import type { Bench } from "../../api/client";
import { firstGrindQuery } from "../../api/queries";
import { useChangeBench } from "../../api/useChangeBench";
import { useSetup } from "../../api/useSetup";
import type { LooseProfile } from "../../profile/loose";
import { useResting } from "../../profile/useForecast";
import { Button } from "../../ui/Button";
import { plain } from "../../ui/format";

/** Where a coffee was never pulled by this grinder: the setting to begin with. */
export function FirstGrind({ bench, profile }: { bench: Bench; profile: LooseProfile }) {
  const change = useChangeBench();
  const setup = useSetup();
  const rested = useResting(profile);
  const asks =
    bench.coffee !== null &&
    bench.grinder !== null &&
    bench.puck === null &&
    !bench.dialled_in &&
    bench.learnt_shots === 0;
  const { data } = useQuery({ ...firstGrindQuery(setup, rested), enabled: asks });
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
