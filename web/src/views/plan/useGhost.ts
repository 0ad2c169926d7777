import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { History, Prediction } from "../../api/client";
import { versionQuery } from "../../api/queries";
import { loosened } from "../../profile/loose";
import { useForecast } from "../../profile/useForecast";
import type { Planned } from "../../profile/usePlanned";
import { usePreview } from "./preview";

/** Which other curve is drawn behind: a version's, none, or by default what a draft began from. */
export type GhostChoice = "default" | "none" | number;

export interface Ghost {
  prediction: Prediction;
  name: string;
}

/** The ghost behind the curves: a suggestion under view comes before a chosen version. */
export function useGhost(history: History, planned: Planned) {
  const [choice, choose] = useState<GhostChoice>("default");
  const preview = usePreview((state) => state.shown);
  const { saved, dirty } = planned;
  const number = choice === "default" ? (dirty ? saved.number : null) : choice;
  const version = useQuery({
    ...versionQuery(history.id, typeof number === "number" ? number : 0),
    enabled: typeof number === "number" && number !== saved.number,
  });
  const profile =
    typeof number !== "number"
      ? undefined
      : number === saved.number
        ? saved.profile
        : version.data && loosened(version.data.profile);
  const before = useForecast(profile);
  const prediction = profile && before.answered?.forecast.prediction;
  const ghost: Ghost | undefined =
    preview?.profileId === history.id ? preview : prediction && { prediction, name: `v${number}` };
  return { ghost, choice, choose };
}
