import { useQueryClient } from "@tanstack/react-query";
import { dequal } from "dequal";
import type { BenchChange, Profile } from "../api/client";
import { benchQuery, historyQuery } from "../api/queries";
import { useChangeBench } from "../api/useChangeBench";
import { useDrafts } from "./drafts";
import { loosened } from "./loose";

/** Words of the bench that a shot's recipe sets. */
export type Recipe = Required<
  Pick<BenchChange, "grind_setting" | "dose_g" | "water_c" | "yield_g">
> &
  Pick<BenchChange, "coffee_id" | "grinder_id" | "machine_id">;

/** Put a recipe on the bench: only the words that differ from it are changed. */
export function useRecipeOnBench() {
  const queryClient = useQueryClient();
  const bench = useChangeBench();
  return async (recipe: Recipe) => {
    const now = await queryClient.fetchQuery(benchQuery());
    const there: Record<string, unknown> = {
      ...now,
      coffee_id: now.coffee?.id,
      grinder_id: now.grinder?.id,
      machine_id: now.machine.id,
    };
    const moved = Object.entries(recipe).filter(([name, value]) => there[name] !== value);
    if (moved.length > 0) await bench.mutateAsync(Object.fromEntries(moved) as BenchChange);
  };
}

/** Make a profile the draft of its like in Plan, where it differs from what is saved there. */
export function useDraftInPlan() {
  const queryClient = useQueryClient();
  return async (profileId: number, profile: Profile, why: string) => {
    const history = await queryClient.fetchQuery(historyQuery(profileId));
    const saved = { number: history.newest.number, profile: loosened(history.newest.profile) };
    const { name, note } = saved.profile;
    const next = { ...loosened(profile), name, note };
    if (!dequal(next, saved.profile)) useDrafts.getState().edit(profileId, saved, why, next);
  };
}
