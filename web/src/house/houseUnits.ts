import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { answered, client } from "../api/client";
import { houseUnitsQuery } from "../api/house";
import { type Units, useUnits } from "../ui/units";

/** Read amounts as the house does, where this browser's user chose nothing else. */
export function useHouseUnits() {
  const house = useQuery(houseUnitsQuery()).data;
  const follow = useUnits((units) => units.follow);
  useEffect(() => {
    if (house) follow(house);
  }, [house, follow]);
}

/** Change what the house reads an amount in; this browser follows it again. */
export function useChooseHouseUnits() {
  const queryClient = useQueryClient();
  return useMutation({
    mutationFn: (body: Units) => answered(client.PUT("/api/house/units", { body })),
    onSuccess: (kept) => {
      queryClient.setQueryData(houseUnitsQuery().queryKey, kept);
      const { house, chosen, follow } = useUnits.getState();
      const names = (Object.keys(kept) as (keyof Units)[]).filter(
        (one) => kept[one] === house[one],
      );
      follow(kept, Object.fromEntries(names.map((one) => [one, chosen[one]])));
    },
  });
}
