import { useMutation, useQueryClient } from "@tanstack/react-query";
import { ApiError, answered, type Bench, type BenchChange, client } from "./client";
import { keepAnswer } from "./keepAnswer";
import { benchQuery } from "./queries";

const KEY = ["change bench"];

/**
 * Change the bench; every prediction that rests on it is asked again.
 *
 * Changes go one after the other, so that the last typed counts; one that waits and is typed over
 * is not sent at all. Each says what it saw, so that nobody else's change is lost under it.
 */
export function useChangeBench() {
  const queryClient = useQueryClient();
  const key = benchQuery().queryKey;
  return useMutation({
    mutationKey: KEY,
    scope: { id: "bench" },
    mutationFn: async (change: BenchChange) => {
      const bench = queryClient.getQueryData(key);
      if (bench && typedOver(change)) return bench;
      const body = bench ? { ...change, seen: seenOf(bench, change) } : change;
      return answered(client.PATCH("/api/bench", { body }));
    },
    onSuccess: (bench) => keepAnswer(queryClient, key, bench),
    onError: (error) => {
      if (error instanceof ApiError && error.status === 409)
        return queryClient.invalidateQueries({ queryKey: key });
    },
  });

  /** Whether a later change that waits already says all of this one. */
  function typedOver(change: BenchChange) {
    const waiting = queryClient
      .getMutationCache()
      .findAll({ mutationKey: KEY, status: "pending" })
      .filter((one) => one.state.isPaused)
      .map((one) => one.state.variables as BenchChange);
    return waiting.some((later) => Object.keys(change).every((name) => name in later));
  }
}

/** What stands at the words of a change, as the server compares it. */
function seenOf(bench: Bench, change: BenchChange) {
  const words: Record<string, unknown> = {
    ...bench,
    coffee_id: bench.coffee?.id ?? null,
    grinder_id: bench.grinder?.id ?? null,
    machine_id: bench.machine.id,
    basket_id: bench.basket?.id ?? null,
    water_id: bench.water?.id ?? null,
    preparation_id: bench.preparation?.id ?? null,
  };
  return Object.fromEntries(Object.keys(change).map((name) => [name, words[name]]));
}
