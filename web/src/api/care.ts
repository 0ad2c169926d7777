import { queryOptions, useMutation, useQueryClient } from "@tanstack/react-query";
import { answered, type CareIntervalSaid, type CareLine, client, type ThingCare } from "./client";

const CARE = ["care"];

/** Every machine and grinder with what it wants done. */
export const careQuery = () =>
  queryOptions({
    queryKey: [...CARE, "all"],
    queryFn: () => answered(client.GET("/api/care")),
  });

/** What is due on the bench, in words. */
export const careDueQuery = () =>
  queryOptions({
    queryKey: [...CARE, "due"],
    queryFn: () => answered(client.GET("/api/care/due")),
  });

type Of = { kind: ThingCare["kind"]; number: number; task: CareLine["task"] };

/** What can be said of a thing's care; every list of it is asked for again. */
export function useSayCare() {
  const queryClient = useQueryClient();
  const again = { onSuccess: () => queryClient.invalidateQueries({ queryKey: CARE }) };
  const done = useMutation({
    ...again,
    mutationFn: (path: Of) =>
      answered(client.POST("/api/care/{kind}/{number}/{task}", { params: { path } })),
  });
  const takeBack = useMutation({
    ...again,
    mutationFn: (path: Of) =>
      answered(client.DELETE("/api/care/{kind}/{number}/{task}", { params: { path } })),
  });
  const every = useMutation({
    ...again,
    mutationFn: ({ path, body }: { path: Of; body: CareIntervalSaid }) =>
      answered(client.PUT("/api/care/{kind}/{number}/{task}/interval", { params: { path }, body })),
  });
  const warmBy = useMutation({
    mutationFn: ({ machine_id, warm_at }: { machine_id: number; warm_at: string | null }) =>
      answered(
        client.PUT("/api/machines/{machine_id}/warm-by", {
          params: { path: { machine_id } },
          body: { warm_at },
        }),
      ),
    onSuccess: () => {
      queryClient.invalidateQueries({ queryKey: CARE });
      queryClient.invalidateQueries({ queryKey: ["prepared"] });
    },
  });
  return { done, takeBack, every, warmBy };
}
