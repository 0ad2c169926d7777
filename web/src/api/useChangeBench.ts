import { useMutation, useQueryClient } from "@tanstack/react-query";
import { answered, type BenchChange, client } from "./client";
import { benchQuery } from "./queries";

/** Change the bench; every prediction that rests on it is asked again. */
export function useChangeBench() {
  const queryClient = useQueryClient();
  return useMutation({
    mutationFn: (change: BenchChange) => answered(client.PATCH("/api/bench", { body: change })),
    onSuccess: (bench) => queryClient.setQueryData(benchQuery().queryKey, bench),
  });
}
