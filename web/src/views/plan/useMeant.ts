import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { wantedQuery } from "../../api/queries";
import { useSetup } from "../../api/useSetup";
import { bareForecast } from "../../profile/bareForecast";
import type { LooseProfile } from "../../profile/loose";
import { type ForecastNow, useResting } from "../../profile/useForecast";
import { useCheck } from "./FitsMachine";

/**
 * What to draw: the forecast; or, of a draft the bench's machine cannot run, the shot it means, by
 * a machine that can.
 */
export function useMeant(profile: LooseProfile, now: ForecastNow) {
  const setup = useSetup();
  const rested = useResting(profile);
  const check = useCheck(profile, now);
  const misfit = now.refused && (check?.misfits.length ?? 0) > 0;
  const meant = useQuery({ ...wantedQuery(setup, rested), enabled: Boolean(setup) && misfit });
  const prediction = misfit ? meant.data : undefined;
  return useMemo(() => {
    if (!prediction) return { shown: now, elsewhere: false };
    const answered = { forecast: bareForecast(prediction), profile: rested };
    return { shown: { ...now, answered }, elsewhere: true };
  }, [now, prediction, rested]);
}
