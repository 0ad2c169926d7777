import { queryOptions, useMutation, useQueryClient } from "@tanstack/react-query";
import { answered, client, type HouseLines } from "./client";
import { keepChange } from "./keepAnswer";

/** What the house reads amounts in. */
export const houseUnitsQuery = () =>
  queryOptions({
    queryKey: ["house-units"],
    queryFn: () => answered(client.GET("/api/house/units")),
    staleTime: Number.POSITIVE_INFINITY, // a page that stays open keeps its units
  });

/** Which lines of the tasting form the house scores. */
export const houseLinesQuery = () =>
  queryOptions({
    queryKey: ["house-lines"],
    queryFn: () => answered(client.GET("/api/house/lines")),
  });

/** Score other lines from now on. */
export function useChooseHouseLines() {
  const queryClient = useQueryClient();
  return useMutation({
    mutationFn: (lines: HouseLines["lines"]) =>
      answered(client.PUT("/api/house/lines", { body: { lines } })),
    // What is chosen shows at once, and the next choice starts from it.
    scope: { id: "house-lines" },
    onMutate: (lines) => keepChange(queryClient, houseLinesQuery().queryKey, { lines }),
    onError: () => queryClient.invalidateQueries({ queryKey: houseLinesQuery().queryKey }),
  });
}
