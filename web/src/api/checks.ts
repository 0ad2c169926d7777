import { queryOptions, useMutation, useQueryClient } from "@tanstack/react-query";
import { answered, client, type HouseChecks } from "./client";

/** What the house asks before a pull. */
export const houseChecksQuery = () =>
  queryOptions({
    queryKey: ["house-checks"],
    queryFn: () => answered(client.GET("/api/checks")),
  });

/** Ask other checks from now on. */
export function useChooseHouseChecks() {
  const queryClient = useQueryClient();
  return useMutation({
    mutationFn: (body: HouseChecks) => answered(client.PUT("/api/checks", { body })),
    onSuccess: (kept) => {
      queryClient.setQueryData(houseChecksQuery().queryKey, kept);
      return queryClient.invalidateQueries({ queryKey: ["prepared"] });
    },
  });
}
